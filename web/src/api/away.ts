import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useSyncExternalStore } from 'react'
import { ApiError } from './client'

/** What ends by itself: ./start starts again what ended. Too long or too large a question does not. */
const PASSING = new Set(['database_unavailable', 'unavailable', 'process_died', 'busy'])
/** Some three minutes, a few seconds apart. */
const TRIES = 40

/** Whether asking again may help: the server, its database or what computes is away for a moment. */
export function mayPass(error: unknown): boolean {
  if (error instanceof ApiError)
    return error.status === 502 || (error.status === 503 && PASSING.has(error.code))
  return error instanceof TypeError // the browser's for a server that cannot be reached
}

export const retry = (count: number, error: unknown) => mayPass(error) && count < TRIES
export const retryDelay = (count: number) => Math.min(500 * 2 ** count, 5000)

/** What is away while something on the page waits for it, in words; null where all is well. */
export function useAway(): string | null {
  const queries = useQueryClient()
  const subscribe = useCallback(
    (changed: () => void) => queries.getQueryCache().subscribe(changed),
    [queries],
  )
  return useSyncExternalStore(subscribe, () => {
    for (const { state } of queries.getQueryCache().getAll()) {
      const reason = state.fetchFailureReason
      if (state.fetchStatus !== 'idle' && reason && mayPass(reason)) {
        return reason instanceof ApiError ? reason.message : 'the server cannot be reached'
      }
    }
    return null
  })
}
