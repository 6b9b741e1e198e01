import { useCallback } from 'react'
import { useSearchParams } from 'react-router'

/** What is being added to a change: a value at a place of a device, or another text of a file. */
export type Adding =
  { kind: 'place'; device: string; at: string[] } | { kind: 'text'; file: string; line: number | undefined }

/** What is added stands in the address, so that links lead to a form or a line of a file. */
export function useAdding(): [Adding | null, (adding: Adding | null) => void] {
  const [params, setParams] = useSearchParams()
  const set = useCallback(
    (adding: Adding | null) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old)
          for (const key of ['add', 'device', 'at', 'file', 'line']) next.delete(key)
          for (const [key, value] of adding ? addingParams(adding) : []) next.append(key, value)
          return next
        },
        { replace: true },
      ),
    [setParams],
  )
  const kind = params.get('add')
  if (kind === 'place') return [{ kind, device: params.get('device') ?? '', at: params.getAll('at') }, set]
  if (kind === 'text')
    return [{ kind, file: params.get('file') ?? '', line: Number(params.get('line')) || undefined }, set]
  return [null, set]
}

/** The same as parameters of an address. */
export function addingParams(adding: Adding): [string, string][] {
  if (adding.kind === 'text')
    return [
      ['add', 'text'],
      ['file', adding.file],
      ...(adding.line ? [['line', String(adding.line)] as [string, string]] : []),
    ]
  return [
    ['add', 'place'],
    ...(adding.device ? [['device', adding.device] as [string, string]] : []),
    ...adding.at.map((step): [string, string] => ['at', step]),
  ]
}
