import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, data } from '../../api/client'
import { changesQuery } from '../../api/queries'
import type { Edit } from '../../api/types'
import { useLens } from '../lens/lens'

type New = { name?: string; purpose: string; edits?: Edit[] }

/** Begins a change of the revision that is looked at; once the lists know it, something is done with it. */
export function useNewChange(onMade: (name: string) => void) {
  const lens = useLens()
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (body: New) =>
      data(
        api.POST('/api/networks/{slug}/changes', {
          params: { path: { slug: lens.slug }, query: { revision: lens.revision } },
          body,
        }),
      ),
    onSuccess: async ({ name }) => {
      await queries.invalidateQueries({ queryKey: changesQuery(lens.slug).queryKey })
      onMade(name)
    },
  })
}
