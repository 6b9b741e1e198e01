import { useCallback, useMemo } from 'react'
import { useAddress } from '../../../ui/address'

/** Which folds of a strip are unfolded; the page's address holds it. */
export function useFolds(key = 'unfold') {
  const [params, change] = useAddress()
  const text = params.get(key) ?? ''
  const open: ReadonlySet<string> = useMemo(() => new Set(text ? text.split(',') : []), [text])
  const turn = useCallback(
    (fold: string) => {
      const after = new Set(open)
      if (!after.delete(fold)) after.add(fold)
      change({ [key]: [...after].join(',') })
    },
    [open, change, key],
  )
  return { open, turn }
}
