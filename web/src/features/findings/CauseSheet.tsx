import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { Button, Panel, Problem, Severity } from '../../ui/controls'
import { TextField } from '../../ui/fields'
import { useEscape } from '../../ui/useEscape'
import { EditThere } from '../changes/EditThere'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens, useLinkTo, usePlace } from '../lens/lens'
import { PromisesUsing } from '../promises/PromisesUsing'
import { type Cause } from './causes'
import { sinceWords } from '../../wording'

/** All findings of one cause with their lines, since when, and muting for a reason. */
export function CauseSheet({ cause, onClose }: { cause: Cause; onClose: () => void }) {
  const { revision } = useLens()
  useEscape(onClose)
  const to = useLinkTo()
  const first = cause.findings[0]
  const since = sinceWords(cause, revision)
  const devices = [...new Set(cause.findings.flatMap((finding) => finding.devices))]
  return (
    <Panel
      title={cause.findings.length === 1 ? 'Finding' : `${cause.findings.length} findings of one cause`}
      aside={
        <button type="button" className="text-soft hover:underline" onClick={onClose}>
          close
        </button>
      }
      className="min-h-0 overflow-auto"
    >
      <p className="mb-2">
        <Severity value={cause.severity} />
        {since && (
          <span className="text-soft">, {since.startsWith('new') ? since : `there since ${since}`}</span>
        )}
      </p>
      {first && (
        <p className="mb-2">
          All cite <EvidenceLink file={first.cause.file} line={first.cause.line} />. What to do:{' '}
          {first.suggestion}.
        </p>
      )}
      <ul className="divide-y divide-line border-y border-line">
        {cause.findings.map((finding) => (
          <li key={finding.key} className="py-1.5">
            {finding.text} <EvidenceLink file={finding.file} line={finding.line} />{' '}
            <EditThere file={finding.file} line={finding.line} />
          </li>
        ))}
      </ul>
      <p className="mt-2 text-sm">
        On the chart:{' '}
        {devices.map((device) => (
          <Link key={device} to={to('devices/chart', { device })} className="mr-2">
            {device}
          </Link>
        ))}
      </p>
      <Muting cause={cause} />
      {first?.cause.file && first.cause.line && (
        <PromisesUsing used={{ file: first.cause.file, line: first.cause.line }} />
      )}
    </Panel>
  )
}

function Muting({ cause }: { cause: Cause }) {
  const { network } = usePlace()
  const [reason, setReason] = useState('')
  const queries = useQueryClient()
  const path = { slug: network.slug, key: cause.key }
  const onSuccess = () => queries.invalidateQueries({ queryKey: ['finding notes'] })
  const mute = useMutation({
    mutationFn: () =>
      data(api.PUT('/api/networks/{slug}/findings/muted/{key}', { params: { path }, body: { reason } })),
    onSuccess,
  })
  const unmute = useMutation({
    mutationFn: () => data(api.DELETE('/api/networks/{slug}/findings/muted/{key}', { params: { path } })),
    onSuccess,
  })
  const mayMute = network.role !== 'viewer'
  if (cause.muted) {
    return (
      <div className="mt-3 rounded-card border border-line bg-paper p-2">
        <p>
          Muted{cause.muted.author ? ` by ${cause.muted.author}` : ''}: {cause.muted.reason}
        </p>
        {mayMute && (
          <Button className="mt-2" onClick={() => unmute.mutate()} disabled={unmute.isPending}>
            Let it be heard again
          </Button>
        )}
        {unmute.isError && <Problem error={unmute.error} />}
      </div>
    )
  }
  if (!mayMute) return null
  const submit = (event: FormEvent) => {
    event.preventDefault()
    mute.mutate()
  }
  return (
    <form onSubmit={submit} className="mt-3">
      <TextField
        label="Mute it, because"
        value={reason}
        onChange={setReason}
        placeholder="why it may be as it is"
      />
      <Button type="submit" disabled={!reason.trim() || mute.isPending}>
        Mute in all revisions
      </Button>
      {mute.isError && <Problem error={mute.error} />}
    </form>
  )
}
