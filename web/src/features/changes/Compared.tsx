import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { comparisonQuery, comparisonStart, ended, type Base, type Lens } from '../../api/queries'
import { useCancel } from '../../api/useCancel'
import { Button, Problem, sentence, Waiting } from '../../ui/controls'
import { Moved } from './Moved'

/** What is not the same in two lenses, worked out by a job; one that nobody waits for ends. */
export function Compared({ lens, base }: { lens: Lens; base: Base }) {
  const started = useQuery(comparisonStart(lens, base))
  if (started.isError) return <Problem error={started.error} />
  if (started.isPending) return <Waiting what="Beginning to compare" />
  return <Comparing id={started.data.id} again={() => void started.refetch()} />
}

const STEPS: Record<string, string> = {
  computing: 'Computing both networks',
  comparing: 'Asking every flow that may move, in both',
}

function Comparing({ id, again }: { id: number; again: () => void }) {
  const job = useQuery(comparisonQuery(id))
  const cancel = useCancel(id)
  const isOver = job.data ? ended(job.data) : false
  useSuperseded(id, isOver)
  if (job.isError) return <Problem error={job.error} />
  if (!job.data) return <Waiting what="Opening the comparison" />
  if (!isOver)
    return (
      <p role="status" className="flex items-center justify-between gap-3 p-2">
        <span>
          {job.data.status === 'queued' ? 'Waiting for its turn' : (STEPS[job.data.step] ?? 'Comparing')}…
        </span>
        <Button tone="stop" onClick={() => cancel.mutate()} disabled={cancel.isPending}>
          Cancel
        </Button>
        {cancel.isError && <Problem error={cancel.error} />}
      </p>
    )
  if (!job.data.answer)
    return (
      <p className="flex items-center justify-between gap-3 p-2">
        <span>{sentence(job.data.message)}</span>
        <Button onClick={again}>Compare again</Button>
      </p>
    )
  return <Moved found={job.data.answer} />
}

/** Cancels a job that still goes on when another one takes its place; whoever only leaves finds it again. */
function useSuperseded(id: number, isOver: boolean) {
  const { mutate } = useCancel(id)
  const last = useRef<{ id: number; isOver: boolean; cancel: () => void } | null>(null)
  useEffect(() => {
    const before = last.current
    if (before && before.id !== id && !before.isOver) before.cancel()
    last.current = { id, isOver, cancel: () => mutate() }
  }, [id, isOver, mutate])
}
