import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { changeQuery, changeSeenQuery, changesQuery, through } from '../../api/queries'
import type { Edit, FileChange } from '../../api/types'
import { Button, Problem } from '../../ui/controls'
import { useLinkTo, usePlace } from '../lens/lens'
import { withEdits } from './edits'

type Taken = { text: string; purpose: string; changes: FileChange[] }

/**
 * Makes what an answer proposes an edit: of the change that is looked through, if any, else of a new
 * one. Viewers may not.
 */
export function TakeIntoChange({ text, purpose, changes }: Taken) {
  const { network, lens } = usePlace()
  const to = useLinkTo()
  const queries = useQueryClient()
  const open = lens.change?.at(-1)
  const params = { path: { slug: lens.slug }, query: through(lens) }
  const take = useMutation({
    mutationFn: async (into: string | undefined) => {
      const edits = await data(api.POST('/api/networks/{slug}/edits/proposal', { params, body: { changes } }))
      if (into) return addTo(into, edits)
      return data(
        api.POST('/api/networks/{slug}/changes', {
          params,
          body: { purpose: purpose.slice(0, 1000), edits, below: open },
        }),
      )
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: changesQuery(lens.slug).queryKey }),
  })
  async function addTo(name: string, edits: Edit[]) {
    const change = await queries.fetchQuery(changeQuery(lens.slug, name))
    const seen = await queries.fetchQuery(
      changeSeenQuery(lens.slug, lens.revision ?? 0, name, `${name}@${change.version}`),
    )
    return data(
      api.PUT('/api/networks/{slug}/changes/{name}', {
        params: { path: { slug: lens.slug, name }, query: { revision: lens.revision } },
        body: {
          version: change.version,
          purpose: change.purpose,
          edits: withEdits(
            seen.edits.map((each) => each.edit),
            edits,
          ),
          text: text.slice(0, 200),
        },
      }),
    )
  }
  if (network.role === 'viewer') return null
  if (take.isError) return <Problem error={take.error} />
  if (take.isSuccess)
    return (
      <Link
        to={to(`changes/${encodeURIComponent(take.data.name)}`, {}, { change: [take.data.name] })}
        className="whitespace-nowrap"
      >
        ✓ an edit of {take.data.name}
      </Link>
    )
  return (
    <span className="flex flex-wrap gap-2">
      {open && (
        <Button onClick={() => take.mutate(open)} disabled={take.isPending} className="py-0.5 text-sm">
          Add to {open}
        </Button>
      )}
      <Button onClick={() => take.mutate(undefined)} disabled={take.isPending} className="py-0.5 text-sm">
        {open ? 'A change on top' : 'Make it a change'}
      </Button>
    </span>
  )
}
