import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { acceptedQuery, ended } from '../../api/queries'
import type { ChangeSteps } from '../../api/types'
import { Button, Panel, Problem, sentence } from '../../ui/controls'
import { Input } from '../../ui/fields'
import { counted } from '../../wording'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens, usePlace } from '../lens/lens'

/** Makes a change the next revision, for a reason that the history keeps. */
export function Accept({ change, conflicts }: { change: ChangeSteps; conflicts: number }) {
  const { network, lens } = usePlace()
  const [reason, setReason] = useState('')
  const newest = network.newest_revision?.number ?? 0
  const accept = useMutation({
    mutationFn: () =>
      data(
        api.POST('/api/networks/{slug}/changes/{name}/accept', {
          params: { path: { slug: lens.slug, name: change.name } },
          body: { version: change.version, reason: reason.trim() },
        }),
      ),
  })
  return (
    <Panel title="Accept">
      {conflicts > 0 ? (
        <p className="text-soft">
          {counted(conflicts, 'edit')} {conflicts === 1 ? 'does' : 'do'} not fit this revision. Carry over,
          switch off or remove {conflicts === 1 ? 'it' : 'them'} first.
        </p>
      ) : change.below ? (
        <p className="text-soft">It stands on {change.below}, which is accepted first.</p>
      ) : (
        <form
          className="flex flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault()
            accept.mutate()
          }}
        >
          <Input
            aria-label="Reason"
            placeholder="why, for the history; left empty: the purpose"
            value={reason}
            maxLength={1000}
            onChange={(event) => setReason(event.target.value)}
            className="min-w-40 flex-1"
          />
          <Button type="submit" tone="main" disabled={accept.isPending}>
            Accept into revision {newest + 1}
          </Button>
          {lens.revision !== newest && (
            <p className="w-full text-sm text-warn">
              You look at revision {lens.revision}. It is made to revision {newest}, the newest; look at it
              there first.
            </p>
          )}
        </form>
      )}
      {accept.isError && <Problem error={accept.error} />}
      {accept.data && <Accepting key={accept.data.id} id={accept.data.id} />}
    </Panel>
  )
}

function Accepting({ id }: { id: number }) {
  const { lens } = usePlace()
  const queries = useQueryClient()
  const job = useQuery(acceptedQuery(id))
  const isAccepted = Boolean(job.data?.answer?.revision)
  useEffect(() => {
    // All that is known of the network is asked anew: it has another revision.
    if (isAccepted) void queries.invalidateQueries({ queryKey: ['network', lens.slug] })
  }, [isAccepted, queries, lens.slug])
  if (job.isError) return <Problem error={job.error} />
  if (!job.data || !ended(job.data) || isAccepted)
    return (
      <p role="status" className="mt-2 text-soft">
        Reading and computing the new files…
      </p>
    )
  return (
    <div role="alert" className="mt-2 rounded-card border border-stop bg-stop-wash p-2">
      <strong className="text-stop">{sentence(job.data.message)}</strong>
      <ul className="ml-5 list-disc text-sm">
        {(job.data.answer?.problems ?? []).map((problem) => (
          <li key={`${problem.file} ${problem.line} ${problem.text}`}>
            {problem.text} <EvidenceLink file={problem.file} line={problem.line} />
          </li>
        ))}
      </ul>
    </div>
  )
}

/** What a change became, and where one sees it. */
export function Accepted({ number }: { number: number }) {
  const { slug } = useLens()
  return (
    <Panel title="Accepted">
      <p role="status">
        <strong className="text-go">✓ Revision {number}.</strong>{' '}
        <Link to={`/n/${slug}/compare?revision=${number}&base_revision=${number - 1}`}>What moved</Link>,{' '}
        <Link to={`/n/${slug}/history?revision=${number}`}>the history</Link>
      </p>
    </Panel>
  )
}
