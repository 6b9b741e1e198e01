import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Fragment, useEffect } from 'react'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { ended, questionRunQuery, savedQuestionsQuery } from '../../api/queries'
import type { SavedQuestion } from '../../api/types'
import { moment } from '../../ui/time'
import { Confirm } from '../../ui/Confirm'
import { Button, Panel, Problem, Waiting } from '../../ui/controls'
import { useLinkTo, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { FlowTabs } from './FlowTabs'
import { addressOf } from './question'
import { questionWords } from '../../wording'

/** Kept questions by folder, each with its last answer and when it changed. */
export function SavedQuestionsPage() {
  const { lens, network } = usePlace()
  const saved = useQuery(savedQuestionsQuery(lens.slug))
  const to = useLinkTo()
  const run = useRun()
  const editor = network.role !== 'viewer'
  const folders = [...new Set((saved.data ?? []).map((each) => each.folder ?? ''))]
  const broken = (saved.data ?? []).filter((each) => each.answer && !each.answer.works).length
  return (
    <div className="flex flex-col gap-3">
      <PageHead title="Saved questions" />
      <FlowTabs />
      {saved.isError ? (
        <Problem error={saved.error} />
      ) : saved.isPending ? (
        <Waiting what="Reading the questions" />
      ) : saved.data.length === 0 ? (
        <Panel title="Saved questions">
          <p>
            There is none yet. <Link to={to('flows')}>Ask about a flow</Link> and save the question; then it
            can be run again after each change.
          </p>
        </Panel>
      ) : (
        <>
          <div className="flex items-center justify-between gap-4">
            <p role="status">
              {saved.data.length === 1 ? 'One question' : `${saved.data.length} questions`};{' '}
              {broken === 0 ? 'all arrive' : broken === 1 ? 'one does not arrive' : `${broken} do not arrive`}
              .
            </p>
            {editor && (
              <Button tone="main" onClick={() => run.begin(undefined)} disabled={run.going}>
                {!run.going
                  ? 'Run all again'
                  : run.job?.status === 'running'
                    ? `Running, ${run.job.done} of ${run.job.total}…`
                    : 'Waiting for its turn…'}
              </Button>
            )}
          </div>
          {run.error && <Problem error={run.error} />}
          {folders.map((folder) => (
            <Panel key={folder} title={folder || 'No folder'}>
              <ul className="divide-y divide-line">
                {saved.data
                  .filter((each) => (each.folder ?? '') === folder)
                  .map((each) => (
                    <Row key={each.id} saved={each} editor={editor} />
                  ))}
              </ul>
            </Panel>
          ))}
        </>
      )}
    </div>
  )
}

/** The ways that are gone and those that are new, where the answer is another than in an earlier run. */
function Moved({ saved }: { saved: SavedQuestion }) {
  const to = useLinkTo()
  const former = saved.moved_from
  if (saved.moved.length === 0) return null
  return (
    <dl className="my-1 grid grid-cols-[auto_minmax(0,1fr)] gap-x-2 border-l-4 border-line pl-2 text-sm">
      {saved.moved.map((each) => (
        <Fragment key={each.direction}>
          <Ways title={`${each.direction}, no longer`} ways={each.gone} />
          <Ways title={`${each.direction}, new`} ways={each.new} />
        </Fragment>
      ))}
      {former !== null && former !== saved.revision && (
        <dd className="col-span-2">
          <Link
            to={to(
              'flows',
              { ...addressOf(saved.question), base_revision: former },
              { revision: saved.revision ?? undefined },
            )}
          >
            Both on one strip
          </Link>{' '}
          <span className="text-soft">
            (revision {former} and {saved.revision})
          </span>
        </dd>
      )}
    </dl>
  )
}

function Ways({ title, ways }: { title: string; ways: string[] }) {
  if (ways.length === 0) return null
  return (
    <>
      <dt className="text-soft">{title}</dt>
      <dd className="font-mono text-[0.92em]">
        {ways.map((way) => (
          <span key={way} className="block">
            {way}
          </span>
        ))}
      </dd>
    </>
  )
}

/** Runs one question or all of them: a job, followed to its end. */
function useRun() {
  const { lens } = usePlace()
  const queries = useQueryClient()
  const start = useMutation({
    mutationFn: (id: number | undefined) =>
      data(
        api.POST('/api/networks/{slug}/questions/run', {
          params: { path: { slug: lens.slug }, query: { revision: lens.revision, id } },
        }),
      ),
  })
  const run = useQuery({ ...questionRunQuery(start.data?.id ?? 0), enabled: start.data !== undefined })
  const job = start.data && run.data
  const over = job !== undefined && ended(job)
  useEffect(() => {
    if (over) void queries.invalidateQueries({ queryKey: savedQuestionsQuery(lens.slug).queryKey })
  }, [over, lens.slug, queries])
  return {
    begin: start.mutate,
    going: start.isPending || (start.data !== undefined && !over && !run.isError),
    job,
    error: start.error ?? run.error ?? (job && over && job.status !== 'done' ? new Error(job.message) : null),
  }
}

function Row({ saved, editor }: { saved: SavedQuestion; editor: boolean }) {
  const { lens } = usePlace()
  const to = useLinkTo()
  const queries = useQueryClient()
  const run = useRun()
  const drop = useMutation({
    mutationFn: () =>
      data(
        api.DELETE('/api/networks/{slug}/questions/{id}', {
          params: { path: { slug: lens.slug, id: saved.id } },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: savedQuestionsQuery(lens.slug).queryKey }),
  })
  const works = saved.answer?.works ?? false
  return (
    <li className="grid grid-cols-[1.5rem_minmax(0,1fr)_auto] gap-x-2 py-2">
      <span
        aria-label={works ? 'arrives' : 'does not arrive'}
        className={`font-semibold ${works ? 'text-go' : 'text-stop'}`}
      >
        {works ? '✓' : '✗'}
      </span>
      <div>
        <Link to={to('flows', addressOf(saved.question))} className="font-semibold">
          {saved.name}
        </Link>
        <p>{saved.answer?.sentence}</p>
        {saved.since_then ? <p className="text-warn">{saved.since_then}</p> : <Moved saved={saved} />}
        <p className="text-sm text-soft">
          {questionWords(saved.question)}. {saved.ran ? `Run ${moment(saved.ran)}` : 'Never run'}
          {saved.revision ? ` on revision ${saved.revision}` : ''};{' '}
          {saved.changed ? `the answer changed ${moment(saved.changed)}` : 'the answer never changed'}.
        </p>
        {run.error && <Problem error={run.error} />}
      </div>
      {editor && (
        <span className="flex items-start gap-3">
          <button
            type="button"
            className="hover:underline"
            onClick={() => run.begin(saved.id)}
            disabled={run.going}
            aria-label={`Run ${saved.name} again`}
          >
            run
          </button>
          <Confirm
            label="drop"
            name={`Drop ${saved.name}`}
            title="Drop this question?"
            text={`“${saved.name}” goes with its answers, for good. What is asked can be saved anew.`}
            action="Drop it"
            onConfirm={drop.mutateAsync}
          />
        </span>
      )}
    </li>
  )
}
