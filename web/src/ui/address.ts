import { useCallback, useEffect, useState } from 'react'
import { useSearchParams } from 'react-router'
import { usePause } from './usePause'

type Changes = Record<string, string | null>

/**
 * What people have set on a page is in its address, so that a link shows others the same. Changes some
 * of its parameters and keeps the others; null takes one out. What is set while typing or moving takes
 * the place of what was set before (`quiet`), so that “back” leads to the page before.
 */
export function useAddress(): [URLSearchParams, (changes: Changes, how?: { quiet: boolean }) => void] {
  const [params, setParams] = useSearchParams()
  const change = useCallback(
    (changes: Changes, { quiet } = { quiet: false }) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old)
          for (const [key, value] of Object.entries(changes)) {
            if (value === null || value === '') next.delete(key)
            else next.set(key, value)
          }
          return next
        },
        { replace: quiet },
      ),
    [setParams],
  )
  return [params, change]
}

/**
 * A text that is typed and kept in the address once the typing pauses: the text, how it is set, and
 * what it last settled to.
 */
export function useTyped(name: string): [string, (text: string) => void, string] {
  const [params, change] = useAddress()
  const [text, setText] = useState(params.get(name) ?? '')
  const settled = usePause(text, 250)
  const kept = params.get(name) ?? ''
  useEffect(() => {
    if (settled !== kept) change({ [name]: settled }, { quiet: true })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- what is typed is written, not what is read
  }, [settled])
  return [text, setText, settled]
}
