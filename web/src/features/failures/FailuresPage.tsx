import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { ended, sweepQuery, sweepStart, type FailureKind, type SweepAsked } from '../../api/queries'
import { useCancel } from '../../api/useCancel'
import { Button, Problem, sentence, Waiting } from '../../ui/controls'
import { lensWords } from '../../wording'
import { usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { SweepMatrix } from './SweepMatrix'

const KINDS: Record<FailureKind, string> = {
  link: 'links',
  device: 'devices',
  site: 'sites',
  group: 'risk groups',
  line: 'outside lines',
  session: 'BGP sessions',
  interface: 'interfaces',
}

/** What every failure of some kinds does to what is promised, seen through the lens. */
export function FailuresPage() {
  const { lens } = usePlace()
  const [params, setParams] = useSearchParams()
  const kinds = params.getAll('kind').filter((kind): kind is FailureKind => kind in KINDS)
  const pairs = params.get('pairs') === 'yes'
  const before = params.get('before') === 'yes' && (lens.change?.length ?? 0) > 0
  const sets = params.get('sets') ?? undefined
  const [chosen, setChosen] = useState<FailureKind[]>(kinds.length ? kinds : ['link', 'device', 'group'])
  const [withPairs, setWithPairs] = useState(pairs)
  const [withBefore, setWithBefore] = useState(before)
  const begin = () =>
    setParams((old) => {
      const next = new URLSearchParams(old)
      for (const key of ['kind', 'pairs', 'before', 'sets', 'case', 'promise']) next.delete(key)
      for (const kind of chosen) next.append('kind', kind)
      if (withPairs) next.set('pairs', 'yes')
      if (withBefore) next.set('before', 'yes')
      return next
    })
  return (
    <div className="flex flex-col gap-3">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <PageHead title="Failures" shown="text-lg font-semibold" />
        <span className="text-soft">what is not survived, seen through {lensWords(lens)}</span>
      </div>
      <fieldset className="flex flex-wrap items-center gap-x-4 gap-y-1 rounded-card border border-line bg-card px-3 py-2">
        <legend className="sr-only">What fails</legend>
        <span className="text-soft">fail, one after another,</span>
        {Object.entries(KINDS).map(([kind, words]) => (
          <label key={kind} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={chosen.includes(kind as FailureKind)}
              onChange={({ target }) =>
                setChosen((old) =>
                  target.checked ? [...old, kind as FailureKind] : old.filter((each) => each !== kind),
                )
              }
            />
            {words}
          </label>
        ))}
        <label className="flex items-center gap-1.5 border-l border-line pl-4">
          <input
            type="checkbox"
            checked={withPairs}
            onChange={({ target }) => setWithPairs(target.checked)}
          />
          every two of them as well
        </label>
        {lens.change && lens.change.length > 0 && (
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={withBefore}
              onChange={({ target }) => setWithBefore(target.checked)}
            />
            and without {lens.change.length === 1 ? 'the change' : 'the changes'}
          </label>
        )}
        <Button tone="main" className="ml-auto" disabled={chosen.length === 0} onClick={begin}>
          Try them
        </Button>
      </fieldset>
      {kinds.length > 0 ? (
        <Swept
          key={JSON.stringify([lens, kinds, pairs, before, sets])}
          asked={{ kinds, pairs, before, promise: sets }}
        />
      ) : (
        <p className="text-soft">
          Each of them fails by itself, the whole network converges without it, and every promise is held
          against what comes of it. What was tried once is known; a sweep that was stopped goes on where it
          was.
        </p>
      )}
    </div>
  )
}

function Swept({ asked }: { asked: SweepAsked }) {
  const { lens } = usePlace()
  const started = useQuery(sweepStart(lens, asked))
  const id = started.data?.id ?? 0
  const job = useQuery({ ...sweepQuery(id), enabled: started.data !== undefined })
  const cancel = useCancel(id)
  if (started.isError) return <Problem error={started.error} />
  if (job.isError) return <Problem error={job.error} />
  if (!job.data) return <Waiting what="Beginning the sweep" />
  const { status, step, done, total, found, answer, message } = job.data
  if (!ended(job.data))
    return (
      <div role="status" className="flex items-center gap-4 p-2">
        <span className="whitespace-nowrap">
          {status === 'queued'
            ? 'Waiting for its turn…'
            : step === 'failing'
              ? `${done} of ${total} cases, ${found} of them break something…`
              : 'Computing the network without any failure…'}
        </span>
        <progress className="h-2 w-64" max={total || 1} value={done} aria-label="Cases done" />
        <Button tone="stop" onClick={() => cancel.mutate()} disabled={cancel.isPending}>
          Stop
        </Button>
      </div>
    )
  if (!answer)
    return (
      <p className="flex items-center gap-4 p-2">
        <span>
          {sentence(message)} {status === 'cancelled' && 'The cases that were done are known.'}
        </span>
        <Button onClick={() => void started.refetch()}>Go on</Button>
      </p>
    )
  return <SweepMatrix found={answer} pairs={asked.pairs} />
}
