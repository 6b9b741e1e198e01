import { useQuery } from '@tanstack/react-query'
import type { Lens } from '../../api/queries'
import type { Chart } from '../../api/types'
import ChartWorker from './chart.worker.ts?worker'
import type { ChartLayout, LayoutQuestion } from './layout'
import { loaded } from '../../api/loaded'
import type { Places } from './place'

type Reply = { id: number; layout?: ChartLayout; error?: string }

let worker: Promise<Worker> | null = null
let asked = 0

/** A worker that has said that it is there. */
const started = () =>
  new Promise<Worker>((resolve, reject) => {
    const made = new ChartWorker()
    made.addEventListener('message', () => resolve(made), { once: true })
    made.addEventListener('error', () => reject(new Error('the layout of the chart did not load')))
  })

/** Asks the worker; a question that is given up is answered to nobody. */
async function laidOut(question: LayoutQuestion): Promise<ChartLayout> {
  worker ??= loaded(started)
  const here = await worker.catch((error: unknown) => {
    worker = null
    throw error
  })
  const id = (asked += 1)
  return new Promise((resolve, reject) => {
    const done = ({ data }: MessageEvent<Reply>) => {
      if (data.id !== id) return
      here.removeEventListener('message', done)
      if (data.layout) resolve(data.layout)
      else reject(new Error(data.error))
    }
    here.addEventListener('message', done)
    here.postMessage({ id, question })
  })
}

/** The chart's layout; while another is made, the one before stays. */
export function useLayout(
  chart: Chart,
  lens: Lens,
  folds: { hosts: 'all' | string[]; shut: 'all' | string[] },
  known: Places,
  version: string,
) {
  return useQuery({
    queryKey: ['chart-layout', lens, folds, version],
    queryFn: () => laidOut({ chart, ...folds, known }),
    placeholderData: (before) => before,
    staleTime: Infinity,
    gcTime: 60_000,
  })
}
