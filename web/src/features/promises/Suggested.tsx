import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, data } from '../../api/client'
import { ended, suggestionsQuery, suggestionsStart } from '../../api/queries'
import type { Suggestion } from '../../api/types'
import { useCancel } from '../../api/useCancel'
import { Button, Mono, Panel, Problem, sentence, Waiting } from '../../ui/controls'
import { EvidenceLink } from '../lens/EvidenceLink'
import { usePlace } from '../lens/lens'
import { usePromisesChanged } from './usePromisesChanged'

/** What holds in the lens and is promised nowhere: each to be taken or left. */
export function Suggested({ onEnd }: { onEnd: () => void }) {
  return (
    <Panel
      title="What holds today and might be promised"
      aside={
        <button type="button" className="text-soft hover:underline" onClick={onEnd}>
          close
        </button>
      }
    >
      <Found />
    </Panel>
  )
}

function Found() {
  const { lens, network } = usePlace()
  const started = useQuery(suggestionsStart(lens))
  const id = started.data?.id ?? 0
  const job = useQuery({ ...suggestionsQuery(id), enabled: started.data !== undefined })
  const cancel = useCancel(id)
  if (started.isError) return <Problem error={started.error} />
  if (job.isError) return <Problem error={job.error} />
  if (!job.data) return <Waiting what="Beginning to look" />
  const { status, step, done, total, answer, message } = job.data
  if (!ended(job.data))
    return (
      <p role="status" className="flex items-center justify-between gap-3">
        <span>
          {status === 'queued'
            ? 'Waiting for its turn…'
            : step === 'failing'
              ? `Failing each link, ${done} of ${total}…`
              : 'Looking who reaches what…'}
        </span>
        <Button tone="stop" onClick={() => cancel.mutate()} disabled={cancel.isPending}>
          Cancel
        </Button>
      </p>
    )
  if (!answer) return <p>{sentence(message)}</p>
  return (
    <>
      <p className="mb-1">{answer.summary}</p>
      <ul className="max-h-96 divide-y divide-line overflow-y-auto">
        {answer.suggestions.map((each) => (
          <One
            key={each.promises.map((one) => one.text).join()}
            one={each}
            editor={network.role !== 'viewer'}
            job={id}
          />
        ))}
      </ul>
    </>
  )
}

type OneProps = { one: Suggestion; editor: boolean; job: number }

function One({ one, editor, job }: OneProps) {
  const { lens } = usePlace()
  const queries = useQueryClient()
  const changed = usePromisesChanged()
  const path = { slug: lens.slug }
  const onSuccess = () => queries.invalidateQueries({ queryKey: suggestionsQuery(job).queryKey })
  const take = useMutation({
    mutationFn: async () => {
      for (const each of one.promises)
        await data(
          api.POST('/api/networks/{slug}/promises', {
            params: { path },
            body: { name: each.id, sentence: each.text, severity: 'error', note: one.why },
          }),
        )
    },
    onSuccess: () => {
      changed()
      return onSuccess()
    },
  })
  const leave = useMutation({
    mutationFn: async () => {
      for (const each of one.promises)
        await data(
          api.POST('/api/networks/{slug}/promises/left', { params: { path }, body: { sentence: each.text } }),
        )
    },
    onSuccess,
  })
  const busy = take.isPending || leave.isPending
  const name = one.promises[0]?.id ?? ''
  return (
    <li className="flex items-start gap-3 py-1.5">
      <div className="min-w-0 flex-1">
        {one.promises.map((each) => (
          <p key={each.id}>
            <Mono className="text-soft">{each.id}</Mono> {each.text}
          </p>
        ))}
        <p className="text-sm text-soft">
          {one.why} <EvidenceLink file={one.file} line={one.line} />
        </p>
        {take.isError && <Problem error={take.error} />}
        {leave.isError && <Problem error={leave.error} />}
      </div>
      {editor && (
        <span className="flex gap-2">
          <Button disabled={busy} aria-label={`Take ${name}`} onClick={() => take.mutate()}>
            Take
          </Button>
          <Button disabled={busy} aria-label={`Leave ${name}`} onClick={() => leave.mutate()}>
            Leave
          </Button>
        </span>
      )}
    </li>
  )
}
