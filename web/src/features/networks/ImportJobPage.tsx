import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Suspense, useEffect } from 'react'
import { Link, useLocation, useParams } from 'react-router'
import { ended, importFileQuery, importQuery } from '../../api/queries'
import type { ImportJob } from '../../api/types'
import { useCancel } from '../../api/useCancel'
import { Button, Panel, Problem, Severity, Waiting } from '../../ui/controls'
import { FileText } from '../../pages'
import { Again } from './Again'
import { ImportDifference } from './ImportDifference'
import { ImportedFiles } from './ImportedFiles'
import { usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { useAddress } from '../../ui/address'

function useImport(id: number) {
  const queries = useQueryClient()
  const [, change] = useAddress()
  // Whoever has begun it looks at what it became.
  const isMine = (useLocation().state as { mine?: boolean } | null)?.mine === true
  const job = useQuery(importQuery(id))
  const revision = job.data?.revision
  const finished = job.data && ended(job.data) ? job.data.status : null
  useEffect(() => {
    if (finished === 'done')
      void Promise.all([
        queries.invalidateQueries({ queryKey: ['network'] }),
        queries.invalidateQueries({ queryKey: ['networks'] }),
      ]).then(() => {
        if (isMine && revision) change({ revision: String(revision) }, { quiet: true })
      })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when it has ended
  }, [finished, queries])
  return job
}

/** One import: its progress, then its revision or its problems with the lines they stand on. */
export function ImportJobPage() {
  const { id = '' } = useParams()
  const { network } = usePlace()
  const job = useImport(Number(id))
  const cancel = useCancel(Number(id))
  if (job.isPending) return <Waiting what="Looking for the import" />
  if (job.isError) return <Problem error={job.error} />
  const { status, step, done, total, message, answer } = job.data
  const inRevision = (page: string) => `/n/${network.slug}/${page}?revision=${job.data.revision}`
  const skipped = answer?.skipped ?? []
  const difference = answer?.difference
  const titles: Record<ImportJob['status'], string> = {
    queued: 'Waiting for its turn',
    running: `Reading ${total} files`,
    done: difference ? 'Read, and not kept yet' : 'Imported',
    refused: 'Not imported: the files have problems',
    cancelled: 'Cancelled',
    failed: 'Not imported: an internal error',
  }
  return (
    <div className="grid h-full grid-rows-[auto_1fr] gap-3">
      <Panel>
        <div className="flex items-center gap-4">
          <div className="flex-1">
            <PageHead
              title={titles[status]}
              shown={`text-lg font-semibold ${status === 'refused' || status === 'failed' ? 'text-stop' : status === 'done' ? 'text-go' : ''}`}
            />
            <p role="status" className="text-soft">
              {message || `${step}: ${done} of ${total} files`}
            </p>
            {skipped.length > 0 && (
              <p className="text-soft">
                Left out, being of no known format: {skipped.slice(0, 8).join(', ')}
                {skipped.length > 8 && ` and ${skipped.length - 8} more`}.
              </p>
            )}
          </div>
          {!ended(job.data) && (
            <Button tone="stop" disabled={cancel.isPending} onClick={() => cancel.mutate()}>
              Cancel
            </Button>
          )}
          {status === 'done' && !difference && (
            <>
              <Link to={inRevision('flows')} className="font-semibold">
                Ask a flow
              </Link>
              <Link to={inRevision('devices/findings')}>See the findings</Link>
            </>
          )}
          {status === 'done' && difference && (
            <>
              <Again id={job.data.id} body={{ preview: false, after: difference.revision }} tone="main">
                {difference.files.length > 0 ? 'Make it a revision' : 'Make it a revision all the same'}
              </Again>
              <Link to={`/n/${network.slug}/import`}>Leave it</Link>
            </>
          )}
          {ended(job.data) && status !== 'done' && <Link to={`/n/${network.slug}/import`}>Import again</Link>}
        </div>
        {!ended(job.data) && (
          <progress
            className="mt-3 h-2 w-full"
            max={Math.max(1, total)}
            value={done}
            aria-label="Files read"
          />
        )}
      </Panel>
      {cancel.isError && <Problem error={cancel.error} />}
      <div className="flex min-h-0 flex-col gap-3 overflow-auto">
        {difference && <ImportDifference found={difference} />}
        {answer && answer.problems.length > 0 && <ProblemList id={job.data.id} found={answer} />}
        {answer && (answer.files ?? []).length > 0 && (
          <ImportedFiles id={job.data.id} files={answer.files ?? []} />
        )}
      </div>
    </div>
  )
}

function ProblemList({ id, found }: { id: number; found: NonNullable<ImportJob['answer']> }) {
  const [params, change] = useAddress()
  const { problems, problem_count: count } = found
  const shownFile = params.get('file') ?? problems[0]?.file ?? null
  const shownLine = Number(params.get('line') ?? problems[0]?.line ?? 1)
  const file = useQuery({ ...importFileQuery(id, shownFile ?? ''), enabled: shownFile !== null })
  const title =
    count === 1
      ? '1 problem'
      : count > problems.length
        ? `${count.toLocaleString('en-GB')} problems, the first ${problems.length.toLocaleString('en-GB')} of them`
        : `${count} problems`
  return (
    <div className="grid min-h-0 grid-cols-2 gap-3">
      <Panel title={title} className="min-h-0 overflow-auto">
        <ol className="divide-y divide-line">
          {problems.map((problem, index) => {
            const current = problem.file === shownFile && problem.line === shownLine
            return (
              <li key={index}>
                <button
                  type="button"
                  aria-current={current}
                  onClick={() => change({ file: problem.file, line: String(problem.line ?? 1) })}
                  className="w-full rounded px-2 py-2 text-left hover:bg-sunk aria-[current=true]:bg-chosen-wash"
                >
                  <span className="flex items-baseline justify-between gap-3">
                    <span className="font-mono text-[0.92em] text-link">
                      {problem.file}:{problem.line}:{problem.column}
                    </span>
                    <Severity value={problem.severity} />
                  </span>
                  <span className="block">{problem.text}</span>
                  {problem.suggestion && <span className="block text-soft">{problem.suggestion}</span>}
                </button>
              </li>
            )
          })}
        </ol>
      </Panel>
      <Panel title={shownFile ?? 'File'} className="flex min-h-0 flex-col">
        {file.data && (
          <Suspense fallback={<Waiting what="Opening the file" />}>
            <FileText text={file.data.text} line={shownLine} />
          </Suspense>
        )}
        {file.isError && <Problem error={file.error} />}
      </Panel>
    </div>
  )
}
