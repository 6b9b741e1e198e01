import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { draftsQuery } from '../../api/queries'
import type { Draft, FileChange } from '../../api/types'
import { moment } from '../../ui/time'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { EditLines } from '../lens/EditLines'
import { useLinkTo, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { PatchActions } from '../lens/PatchActions'
import { RouteTabs } from './RouteTabs'

/** Proposed edits that somebody kept. */
export function DraftsPage() {
  const { lens } = usePlace()
  const drafts = useQuery(draftsQuery(lens.slug))
  const to = useLinkTo()
  return (
    <div className="flex flex-col gap-3">
      <PageHead title="Drafts" />
      <RouteTabs />
      {drafts.isError ? (
        <Problem error={drafts.error} />
      ) : drafts.isPending ? (
        <Waiting what="Reading the drafts" />
      ) : (
        <Panel
          title="Drafts"
          aside={
            <span className="text-soft">edits that were tried and kept; nothing is changed by them yet</span>
          }
        >
          {drafts.data.length === 0 && (
            <p>
              There is none yet. Ask for a <Link to={to('routes')}>route</Link>, choose a device, and work out
              what would make another path win; or search for the remedies of a{' '}
              <Link to={to('flows')}>flow</Link> that is blocked.
            </p>
          )}
          <ul className="divide-y divide-line">
            {drafts.data.map((draft) => (
              <DraftRow key={draft.id} draft={draft} />
            ))}
          </ul>
        </Panel>
      )}
    </div>
  )
}

function DraftRow({ draft }: { draft: Draft }) {
  const { network, lens } = usePlace()
  const queries = useQueryClient()
  const key = draftsQuery(lens.slug).queryKey
  const path = { slug: lens.slug, id: draft.id }
  // What is dropped stays in its place until one leaves, so that it can be taken back.
  const drop = useMutation({
    mutationFn: () => data(api.DELETE('/api/networks/{slug}/drafts/{id}', { params: { path } })),
  })
  const back = useMutation({
    mutationFn: () => data(api.POST('/api/networks/{slug}/drafts/{id}/back', { params: { path } })),
    onSuccess: () => {
      drop.reset()
      return queries.invalidateQueries({ queryKey: key })
    },
  })
  useEffect(
    () => () => {
      if (drop.isSuccess) void queries.invalidateQueries({ queryKey: key })
    },
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key is made anew each time
    [drop.isSuccess, queries],
  )
  const action = 'whitespace-nowrap hover:underline'
  if (drop.isSuccess)
    return (
      <li role="status" className="flex items-center gap-4 py-2 text-soft">
        Dropped: {draft.text}
        <button
          type="button"
          className={`${action} text-link`}
          disabled={back.isPending}
          onClick={() => back.mutate()}
        >
          Take it back
        </button>
        {back.isError && <Problem error={back.error} />}
      </li>
    )
  return (
    <li className="flex items-start justify-between gap-4 py-2">
      <span className="min-w-0 flex-1">
        <strong>{draft.text}</strong>
        <span className="block text-soft">so that {draft.purpose}</span>
        <EditLines edits={draft.edits} />
        <span className="block text-sm text-soft">
          {draft.author ?? 'somebody'}, on revision {draft.revision}, {moment(draft.created)}
        </span>
        {drop.isError && <Problem error={drop.error} />}
      </span>
      {draft.changes.length > 0 && draft.revision === lens.revision && (
        <PatchActions changes={draft.changes as FileChange[]} name={draft.text} />
      )}
      {network.role !== 'viewer' && (
        <button
          type="button"
          className={`${action} text-stop`}
          disabled={drop.isPending}
          onClick={() => drop.mutate()}
          aria-label={`Drop the draft ${draft.text}`}
        >
          drop
        </button>
      )}
    </li>
  )
}
