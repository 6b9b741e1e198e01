import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, data } from '../../api/client'
import { revisionsQuery } from '../../api/queries'
import type { Revision } from '../../api/types'
import { Button, Panel, Problem, Waiting } from '../../ui/controls'
import { Input } from '../../ui/fields'
import { moment } from '../../ui/time'
import { useLinkTo, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { ChangeTabs } from './ChangeTabs'

/** Every revision: who made it when and why, what it moved, and the way back to it. */
export function HistoryPage() {
  const { lens } = usePlace()
  const revisions = useQuery(revisionsQuery(lens.slug))
  return (
    <div className="flex flex-col gap-3">
      <PageHead title="History" />
      <ChangeTabs />
      {revisions.isError && <Problem error={revisions.error} />}
      {revisions.isPending && <Waiting what="Reading the history" />}
      {revisions.data && (
        <Panel title="Revisions">
          <ol className="divide-y divide-line">
            {revisions.data.map((revision, at) => (
              <Row
                key={revision.number}
                revision={revision}
                before={revisions.data[at + 1]}
                newest={revisions.data[0] ?? revision}
              />
            ))}
          </ol>
        </Panel>
      )}
    </div>
  )
}

type RowProps = { revision: Revision; before: Revision | undefined; newest: Revision }

function Row({ revision, before, newest }: RowProps) {
  const { network, lens } = usePlace()
  const to = useLinkTo()
  const [editing, setEditing] = useState(false)
  const isEditor = network.role !== 'viewer'
  const { number } = revision
  const isLike = revision.content_hash === newest.content_hash
  return (
    <li className="flex items-start gap-4 py-2" aria-current={number === lens.revision || undefined}>
      <strong className="w-10 shrink-0 text-right text-lg">{number}</strong>
      <div className="min-w-0 flex-1">
        {editing ? (
          <Words revision={revision} onDone={() => setEditing(false)} />
        ) : (
          <>
            {revision.name && <strong>{revision.name} </strong>}
            {revision.note || (!revision.name && <span className="text-soft">no note</span>)}{' '}
            {isEditor && (
              <button
                type="button"
                className="text-sm text-link hover:underline"
                aria-label={`edit the name of revision ${number}`}
                onClick={() => setEditing(true)}
              >
                edit
              </button>
            )}
          </>
        )}
        <span className="block text-sm text-soft">
          {moment(revision.created)}
          {revision.author && `, ${revision.author}`}
          {revision.change && (
            <>
              , the change{' '}
              <Link
                to={to(
                  `changes/${encodeURIComponent(revision.change)}`,
                  {},
                  { revision: before?.number ?? number, change: [revision.change] },
                )}
                className="underline"
              >
                {revision.change}
              </Link>
            </>
          )}
          {number !== newest.number && isLike && `; equal to revision ${newest.number}`}
        </span>
      </div>
      <span className="flex flex-wrap justify-end gap-x-4 gap-y-1 whitespace-nowrap">
        {number === lens.revision ? (
          <span className="text-soft">seen now</span>
        ) : (
          <Link to={to('flows', {}, { revision: number, change: [] })}>See it</Link>
        )}
        {before && (
          <Link to={`/n/${lens.slug}/compare?revision=${number}&base_revision=${before.number}`}>
            What moved
          </Link>
        )}
        {isEditor && !isLike && <GoBack revision={revision} newest={newest} />}
      </span>
    </li>
  )
}

function Words({ revision, onDone }: { revision: Revision; onDone: () => void }) {
  const { lens } = usePlace()
  const queries = useQueryClient()
  const [name, setName] = useState(revision.name)
  const [note, setNote] = useState(revision.note)
  const keep = useMutation({
    mutationFn: () =>
      data(
        api.PUT('/api/networks/{slug}/revisions/{number}', {
          params: { path: { slug: lens.slug, number: revision.number } },
          body: { name: name.trim(), note: note.trim() },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: revisionsQuery(lens.slug).queryKey })
      onDone()
    },
  })
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault()
        keep.mutate()
      }}
    >
      <Input
        room="dense"
        aria-label="Name"
        placeholder="name, as “before the move”"
        value={name}
        maxLength={80}
        autoFocus
        onChange={(event) => setName(event.target.value)}
      />
      <Input
        room="dense"
        aria-label="Note"
        placeholder="note"
        value={note}
        maxLength={1000}
        onChange={(event) => setNote(event.target.value)}
        className="min-w-48 flex-1"
      />
      <Button type="submit" className="py-0.5" disabled={keep.isPending}>
        Keep
      </Button>
      <Button className="py-0.5" onClick={onDone}>
        Leave it
      </Button>
      {keep.isError && <Problem error={keep.error} />}
    </form>
  )
}

/** Makes the next revision equal to an older one; asked about once more, since everybody sees it then. */
function GoBack({ revision, newest }: { revision: Revision; newest: Revision }) {
  const { lens } = usePlace()
  const queries = useQueryClient()
  const navigate = useNavigate()
  const [asking, setAsking] = useState(false)
  const [reason, setReason] = useState('')
  const back = useMutation({
    mutationFn: () =>
      data(
        api.POST('/api/networks/{slug}/revisions/{number}/back', {
          params: { path: { slug: lens.slug, number: revision.number } },
          body: { reason: reason.trim() },
        }),
      ),
    onSuccess: async ({ number }) => {
      await queries.invalidateQueries({ queryKey: ['network', lens.slug] })
      setAsking(false)
      void navigate(`/n/${lens.slug}/history?revision=${number}`)
    },
  })
  if (!asking)
    return (
      <button type="button" className="text-link hover:underline" onClick={() => setAsking(true)}>
        Go back to it
      </button>
    )
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault()
        back.mutate()
      }}
    >
      <Input
        room="dense"
        aria-label="Reason"
        placeholder="why"
        value={reason}
        maxLength={900}
        autoFocus
        onChange={(event) => setReason(event.target.value)}
      />
      <Button type="submit" tone="main" className="py-0.5" disabled={back.isPending}>
        Make revision {newest.number + 1} of it
      </Button>
      <Button className="py-0.5" onClick={() => setAsking(false)}>
        Leave it
      </Button>
      {back.isError && <Problem error={back.error} />}
    </form>
  )
}
