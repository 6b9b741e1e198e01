import { useCallback } from 'react'
import { useSearchParams } from 'react-router'
import { useLens } from './lens'

/** What is of one lens alone, and is not taken along to another. */
export const OF_ONE_LENS = ['remedies', 'hop']

/** What has failed in the lens, and how to let something fail or work again: the address changes. */
export function useFailing() {
  const { fail = [] } = useLens()
  const [, setParams] = useSearchParams()
  const set = useCallback(
    (names: string[]) =>
      setParams((old) => {
        const next = new URLSearchParams(old)
        for (const key of ['fail', ...OF_ONE_LENS]) next.delete(key)
        for (const name of [...new Set(names)].sort()) next.append('fail', name)
        return next
      }),
    [setParams],
  )
  return {
    failed: fail,
    letFail: (name: string) => set([...fail, name]),
    letWork: (name: string) => set(fail.filter((each) => each !== name)),
    letAllWork: () => set([]),
  }
}
