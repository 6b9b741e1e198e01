import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, data } from './client'

/** Cancels a job; what is known of it is then asked for anew. */
export function useCancel(id: number) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: () => data(api.POST('/api/jobs/{id}/cancel', { params: { path: { id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['job', id] }),
  })
}
