import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { namesQuery } from '../../api/queries'
import { useLens } from './lens'

/** What may be an address in a text: not a prefix, whose length follows. */
const ADDRESSES =
  /(?<![\w.:/])(?:\d{1,3}(?:\.\d{1,3}){3}|[0-9a-f]{0,4}(?::[0-9a-f]{0,4}){2,7})(?![\w/]|[.:]\w)/gi

/** A text in which each address that has a name has it beside it. */
export function withNames(text: string, names: ReadonlyMap<string, string>): string {
  if (names.size === 0) return text
  return text.replace(ADDRESSES, (address: string) => {
    const name = names.get(address.toLowerCase())
    return name === undefined ? address : `${address} (${name})`
  })
}

/** The names of addresses in what is looked at; several of one address together. */
export function useNames(): ReadonlyMap<string, string> {
  const lens = useLens()
  const names = useQuery({ ...namesQuery(lens), enabled: lens.revision !== undefined })
  return useMemo(() => {
    const found = new Map<string, string>()
    for (const { name, address } of names.data ?? []) {
      const known = found.get(address)
      found.set(address, known === undefined ? name : `${known}, ${name}`)
    }
    return found
  }, [names.data])
}

/** An interface's addresses with their lengths and names; copied, they are parted by commas. */
export function NamedAddresses({ addresses }: { addresses: string[] }) {
  const names = useNames()
  return (
    <span className="font-mono text-[0.92em] break-words">
      {addresses
        .map((address) => {
          const name = names.get(address.split('/')[0] ?? '')
          return name === undefined ? address : `${address} (${name})`
        })
        .join(', ')}
    </span>
  )
}

/** A text with the names of its addresses. */
export function Named({ text }: { text: string }) {
  return <>{withNames(text, useNames())}</>
}
