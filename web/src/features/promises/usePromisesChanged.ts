import { useQueryClient } from '@tanstack/react-query'
import { useCallback } from 'react'
import { storedPromisesQuery } from '../../api/queries'
import { usePlace } from '../lens/lens'

/** To be called once a promise that is kept here was made, said anew or dropped: all are asked again. */
export function usePromisesChanged() {
  const { lens } = usePlace()
  const queries = useQueryClient()
  return useCallback(() => {
    void queries.invalidateQueries({ queryKey: storedPromisesQuery(lens.slug).queryKey })
    void queries.invalidateQueries({ queryKey: ['promise-check'] })
  }, [queries, lens.slug])
}
