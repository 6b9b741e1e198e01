import { useQuery } from '@tanstack/react-query'
import { chartQuery } from '../../api/queries'
import type { ChartEnd } from '../../api/types'
import { useLens } from '../lens/lens'

/** The same place at the only other end of an interface's link; null where there is none. */
export function useOtherEnd(device: string, at: string[]): { device: string; at: string[] } | null {
  const { slug, revision } = useLens()
  const [first, name, ...below] = at
  const chart = useQuery({
    ...chartQuery({ slug, revision }),
    enabled: first === 'interfaces' && Boolean(name),
  })
  if (first !== 'interfaces' || !name) return null
  for (const { ends } of chart.data?.segments ?? []) {
    const [one, two] = ends
    if (ends.length !== 2 || !one || !two) continue
    const isMine = (end: ChartEnd) => end.device === device && end.interface === name
    const other = isMine(one) ? two : isMine(two) ? one : null
    if (other) return { device: other.device, at: ['interfaces', other.interface, ...below] }
  }
  return null
}
