import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, data } from '../../api/client'
import { changesQuery } from '../../api/queries'
import type { ChangeSteps, Edit } from '../../api/types'
import { usePlace } from '../lens/lens'

/** What a change is to say from now on, and what was done, in a few words. */
export type Said = { purpose?: string; edits?: Edit[]; text: string }

/**
 * What can be done to a change that was read. Each says which version it was done to: where somebody
 * else was quicker the server refuses, and what was typed stays where it is.
 */
export function useChange(change: ChangeSteps, edits: Edit[]) {
  const { lens } = usePlace()
  const queries = useQueryClient()
  const path = { slug: lens.slug, name: change.name }
  const onSuccess = (made: ChangeSteps) => {
    queries.setQueryData(['network', lens.slug, 'changes', change.name], made)
    return queries.invalidateQueries({ queryKey: changesQuery(lens.slug).queryKey })
  }
  const say = useMutation({
    mutationFn: (said: Said) =>
      data(
        api.PUT('/api/networks/{slug}/changes/{name}', {
          params: { path, query: { revision: lens.revision } },
          body: {
            version: change.version,
            purpose: said.purpose ?? change.purpose,
            edits: said.edits ?? edits,
            text: said.text.slice(0, 200),
          },
        }),
      ),
    onSuccess,
  })
  const step = useMutation({
    mutationFn: (way: 'undo' | 'redo') =>
      data(
        api.POST('/api/networks/{slug}/changes/{name}/{way}', {
          params: { path: { ...path, way } },
          body: { version: change.version },
        }),
      ),
    onSuccess,
  })
  return { say, step }
}
