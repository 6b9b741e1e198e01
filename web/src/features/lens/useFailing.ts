import { useSeeing } from './useSeeing'
import { useLens } from './lens'

/** What has failed in the lens, and how to let something fail or work again: the address changes. */
export function useFailing() {
  const { fail = [] } = useLens()
  const { see } = useSeeing()
  const set = (names: string[]) => see({ fail: [...new Set(names)].sort() })
  return {
    failed: fail,
    letFail: (name: string) => set([...fail, name]),
    letWork: (name: string) => set(fail.filter((each) => each !== name)),
    letAllWork: () => set([]),
  }
}
