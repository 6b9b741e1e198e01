import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, data } from '../../api/client'
import { importFileQuery, importQuery } from '../../api/queries'
import type { ImportJob } from '../../api/types'
import { Button, Panel, Problem, Severity, Waiting } from '../../ui/controls'
import { FileText } from '../devices/FileText'
import { useAddress, usePlace } from '../lens/lens'

const ended = (job: ImportJob) => job.status !== 'queued' && job.status !== 'running'

/** Follows an import by server-sent events, or by asking again where those do not come through. */
function useImport(id: number) {
  const queries = useQueryClient()
  const [streaming, setStreaming] = useState(true)
  const job = useQuery({
    ...importQuery(id),
    refetchInterval: (query) => (streaming || (query.state.data && ended(query.state.data)) ? false : 1000),
  })
  const going = job.data !== undefined && !ended(job.data)
  useEffect(() => {
    if (!going || !streaming) return
    const source = new EventSource(`/api/imports/${id}/events`)
    source.onmessage = (event) => {
      queries.setQueryData(importQuery(id).queryKey, JSON.parse(String(event.data)) as ImportJob)
    }
    source.onerror = () => setStreaming(false)
    return () => source.close()
  }, [going, streaming, id, queries])
  const finished = job.data && ended(job.data) ? job.data.status : null
  useEffect(() => {
    if (finished === 'done') void Promise.all([
        queries.invalidateQueries({ queryKey: ['network'] }),
        queries.invalidateQueries({ queryKey: ['networks'] }),
      ])
  }, [finished, queries])
  return job
}

/** One import: its progress, then its revision or its problems with the lines they stand on. */
export function ImportJobPage() {
  const { id = '' } = useParams()
  const { network } = usePlace()
  const job = useImport(Number(id))
  const queries = useQueryClient()
  const cancel = useMutation({
    mutationFn: () => data(api.POST('/api/imports/{id}/cancel', { params: { path: { id: Number(id) } } })),
    onSuccess: (next) => queries.setQueryData(importQuery(Number(id)).queryKey, next),
  })
  if (job.isPending) return <Waiting what="Looking for the import" />
  if (job.isError) return <Problem error={job.error} />
  const { status, step, done, total, message, problems, skipped } = job.data
  const titles: Record<ImportJob['status'], string> = {
    queued: 'Waiting for the worker',
    running: `Reading ${total} files`,
    done: 'Imported',
    refused: 'Not imported: the files have problems',
    cancelled: 'Cancelled',
    failed: 'Not imported: a fault of ours',
  }
  return (
    <div className="grid h-full grid-rows-[auto_1fr] gap-3">
      <Panel>
        <div className="flex items-center gap-4">
          <div className="flex-1">
            <h1 className={`text-lg font-bold ${status === 'refused' || status === 'failed' ? 'text-stop' : status === 'done' ? 'text-go' : ''}`}>{titles[status]}</h1>
            <p role="status" className="text-soft">{message || `${step}: ${done} of ${total} files`}</p>
            {skipped.length > 0 && (
              <p className="text-soft">Left out, being no device files: {skipped.slice(0, 8).join(', ')}{skipped.length > 8 && ` and ${skipped.length - 8} more`}.</p>
            )}
          </div>
          {!ended(job.data) && <Button tone="stop" disabled={cancel.isPending} onClick={() => cancel.mutate()}>Cancel</Button>}
          {status === 'done' && <Link to={`/n/${network.slug}/flows`} className="font-semibold">Ask a flow</Link>}
          {status === 'done' && <Link to={`/n/${network.slug}/devices/findings`}>See the findings</Link>}
          {ended(job.data) && status !== 'done' && <Link to={`/n/${network.slug}/import`}>Import again</Link>}
        </div>
        {!ended(job.data) && <progress className="mt-3 h-2 w-full" max={Math.max(1, total)} value={done} aria-label="Files read" />}
      </Panel>
      {problems.length > 0 && <ProblemList job={job.data} />}
    </div>
  )
}

function ProblemList({ job }: { job: ImportJob }) {
  const [params, change] = useAddress()
  const shownFile = params.get('file') ?? job.problems[0]?.file ?? null
  const shownLine = Number(params.get('line') ?? job.problems[0]?.line ?? 1)
  const file = useQuery({ ...importFileQuery(job.id, shownFile ?? ''), enabled: shownFile !== null })
  return (
    <div className="grid min-h-0 grid-cols-2 gap-3">
      <Panel title={`${job.problems.length} ${job.problems.length === 1 ? 'problem' : 'problems'}`} className="min-h-0 overflow-auto">
        <ol className="divide-y divide-line">
          {job.problems.map((problem, index) => {
            const current = problem.file === shownFile && problem.line === shownLine
            return (
              <li key={index}>
                <button
                  type="button"
                  aria-current={current}
                  onClick={() => change({ file: problem.file, line: String(problem.line ?? 1) })}
                  className="w-full rounded px-2 py-2 text-left hover:bg-sunk aria-[current=true]:bg-go-wash"
                >
                  <span className="flex items-baseline justify-between gap-3">
                    <span className="font-mono text-[0.92em] text-go">{problem.file}:{problem.line}:{problem.column}</span>
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
        {file.data && <FileText text={file.data.text} line={shownLine} />}
        {file.isError && <Problem error={file.error} />}
      </Panel>
    </div>
  )
}
