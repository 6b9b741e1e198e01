import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { draftsQuery } from '../../api/queries'
import type { FileChange } from '../../api/types'
import { Button, Problem } from '../../ui/controls'
import { useLinkTo, usePlace } from './lens'

type Kept = { text: string; purpose: string; changes: FileChange[] }

/** Keeps a proposed edit among the drafts; viewers may not. */
export function KeepAsDraft({ text, purpose, changes }: Kept) {
  const { network, lens } = usePlace()
  const to = useLinkTo()
  const queries = useQueryClient()
  const keep = useMutation({
    mutationFn: () =>
      data(
        api.POST('/api/networks/{slug}/drafts', {
          params: { path: { slug: lens.slug }, query: { revision: lens.revision } },
          body: { text: text.slice(0, 400), purpose: purpose.slice(0, 400), changes },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: draftsQuery(lens.slug).queryKey }),
  })
  if (network.role === 'viewer') return null
  if (keep.isError) return <Problem error={keep.error} />
  if (keep.isSuccess)
    return (
      <Link to={to('routes/drafts')} className="whitespace-nowrap">
        ✓ kept among the drafts
      </Link>
    )
  return (
    <Button onClick={() => keep.mutate()} disabled={keep.isPending} className="py-0.5 text-sm">
      Keep as draft
    </Button>
  )
}
