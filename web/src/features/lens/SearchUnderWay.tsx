import { useCancel } from '../../api/useCancel'
import { Button, Problem } from '../../ui/controls'

type UnderWay = { id: number; status: string; words: string }

/** A search that has not ended: how far it is, and the way to end it. */
export function SearchUnderWay({ id, status, words }: UnderWay) {
  const cancel = useCancel(id)
  return (
    <p role="status" className="flex items-center justify-between gap-3">
      <span>{status === 'queued' ? 'Waiting for its turn…' : words}</span>
      <Button tone="stop" onClick={() => cancel.mutate()} disabled={cancel.isPending}>
        Cancel
      </Button>
      {cancel.isError && <Problem error={cancel.error} />}
    </p>
  )
}
