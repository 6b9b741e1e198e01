import { useQuery } from '@tanstack/react-query'
import { ended, promiseCheckQuery, promiseCheckStart, type Lens } from '../../api/queries'
import { usePlace } from '../lens/lens'

/** How all promises stand in the lens: a job that is begun, or found, and followed to its end. */
export function useCheck(failures: boolean, through?: Lens) {
  const place = usePlace()
  const lens = through ?? place.lens
  const started = useQuery(promiseCheckStart(lens, failures))
  const job = useQuery({ ...promiseCheckQuery(started.data?.id ?? 0), enabled: started.data !== undefined })
  const over = job.data !== undefined && ended(job.data)
  const refused = over && !job.data?.answer ? new Error(job.data?.message) : null
  return {
    id: started.data?.id,
    answer: job.data?.answer ?? undefined,
    job: job.data,
    going: !over && !started.isError && !job.isError,
    error: started.error ?? job.error ?? refused,
    again: () => void started.refetch(),
  }
}
