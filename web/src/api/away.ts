import {
  MutationCache,
  QueryCache,
  useQueryClient,
  type Query,
  type QueryClient,
} from '@tanstack/react-query'
import { useCallback, useSyncExternalStore } from 'react'
import { setEnding } from './ending'
import { ApiError, UNREACHABLE } from './client'

/** What ends by itself: ./start starts again what ended. Too long or too large a question does not. */
const PASSING = new Set(['database_unavailable', 'unavailable', 'process_died', 'busy'])
/** Some three minutes, a few seconds apart. */
const TRIES = 40

/** Whether asking again may help: the server, its database or what computes is away for a moment. */
export function mayPass(error: unknown): boolean {
  if (!(error instanceof ApiError)) return false
  return isUnreachable(error) || (error.status === 503 && PASSING.has(error.code))
}

/** A server that is away is waited for without end; a proxy before it says so with a 502. */
const isUnreachable = (error: unknown) =>
  error instanceof ApiError && (error.code === UNREACHABLE || error.status === 502)

export const retry = (count: number, error: unknown) =>
  isUnreachable(error) || (mayPass(error) && count < TRIES)
export const retryDelay = (count: number) => Math.min(500 * 2 ** count, 8000)

const isWaiting = ({ state }: Query) => state.fetchStatus !== 'idle' && mayPass(state.fetchFailureReason)

/** Asks at once what waits for its next try. */
export async function askNow(queries: QueryClient): Promise<void> {
  const waiting = new Set(queries.getQueryCache().findAll({ predicate: isWaiting }))
  await queries.cancelQueries({ predicate: (query) => waiting.has(query) })
  await queries.refetchQueries({ predicate: (query) => waiting.has(query) })
}

/** What is away while something on the page waits for it, in words; null where all is well. */
export function useAway(): string | null {
  const queries = useQueryClient()
  const subscribe = useCallback(
    (changed: () => void) => queries.getQueryCache().subscribe(changed),
    [queries],
  )
  return useSyncExternalStore(subscribe, () => {
    return (
      queries.getQueryCache().findAll({ predicate: isWaiting })[0]?.state.fetchFailureReason?.message ?? null
    )
  })
}

/** A session that ended is told over the page, which stays. */
function onError(error: unknown) {
  if (error instanceof ApiError && error.code === 'not_authenticated') setEnding('ended')
}

/** Memories of answers that notice when the session has ended. */
export const watching = () => ({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
})
