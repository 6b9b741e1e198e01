import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { ApiError } from '../../api/client'
import { changesQuery } from '../../api/queries'
import type { ChangeSteps } from '../../api/types'
import { Button, Problem } from '../../ui/controls'
import { useLens } from '../lens/lens'
import type { useChange } from './useChange'

type StepButtonsProps = { change: ChangeSteps; doing: ReturnType<typeof useChange> }

/** Undo and redo, by keyboard too; and what to do where somebody else was quicker. */
export function StepButtons({ change, doing: { say, step } }: StepButtonsProps) {
  const { slug } = useLens()
  const queries = useQueryClient()
  const at = change.steps.findIndex((each) => each.number === change.step)
  const last = at > 0 ? change.steps[at] : undefined
  const next = change.steps[at + 1]
  const { mutate, isPending } = step
  const mayUndo = last !== undefined && !isPending
  const mayRedo = next !== undefined && !isPending
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return
      if (target.closest('input, textarea, [contenteditable=true], .cm-editor')) return
      const way = event.shiftKey ? 'redo' : 'undo'
      if (way === 'undo' ? !mayUndo : !mayRedo) return
      event.preventDefault()
      mutate(way)
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [mayUndo, mayRedo, mutate])
  const error = step.error ?? say.error
  const isLate = error instanceof ApiError && error.code === 'edited_meanwhile'
  const lookAgain = () => {
    step.reset()
    say.reset()
    return queries.invalidateQueries({ queryKey: changesQuery(slug).queryKey })
  }
  return (
    <>
      <div className="mb-2 flex gap-2">
        <Button
          className="py-0.5 text-sm"
          disabled={!mayUndo}
          title={last && `Undo: ${last.text} (Ctrl Z)`}
          onClick={() => mutate('undo')}
        >
          Undo
        </Button>
        <Button
          className="py-0.5 text-sm"
          disabled={!mayRedo}
          title={next && `Redo: ${next.text} (Ctrl Shift Z)`}
          onClick={() => mutate('redo')}
        >
          Redo
        </Button>
        {last && <span className="min-w-0 truncate text-sm text-soft">last: {last.text}</span>}
      </div>
      {(step.isError || isLate) && (
        <div className="mb-2">
          <Problem error={error} />
          {isLate && (
            <Button className="mt-1 py-0.5 text-sm" onClick={() => void lookAgain()}>
              Show it as it is now
            </Button>
          )}
        </div>
      )}
    </>
  )
}
