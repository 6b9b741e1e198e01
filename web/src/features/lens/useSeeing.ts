import { useCallback } from 'react'
import { useSearchParams } from 'react-router'
import { usePlace } from './lens'

/** What is of one lens alone, and is not taken along to another. */
export const OF_ONE_LENS = ['remedies', 'hop']

type Wanted = {
  fail?: string[]
  change?: string[]
  tables?: string[]
  base_revision?: string[]
  base_change?: string[]
  base_fail?: string[]
}

/** How to look through something else: the address changes, and the page stays. */
export function useSeeing() {
  const { lens, pinned } = usePlace()
  const [, setParams] = useSearchParams()
  const see = useCallback(
    (wanted: Wanted) =>
      setParams((old) => {
        const next = new URLSearchParams(old)
        for (const key of [...Object.keys(wanted), ...OF_ONE_LENS]) next.delete(key)
        for (const [key, values] of Object.entries(wanted))
          for (const value of values ?? []) next.append(key, value)
        return next
      }),
    [setParams],
  )
  return {
    see,
    pinned,
    /** Compare with what is seen now, whatever is looked through from now on. */
    pin: () =>
      see({ base_revision: [String(lens.revision)], base_change: lens.change, base_fail: lens.fail }),
    unpin: () => see({ base_revision: [], base_change: [], base_fail: [] }),
  }
}
