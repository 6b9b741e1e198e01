import { useState } from 'react'
import type { ChangeSteps } from '../../api/types'
import { Button, Problem } from '../../ui/controls'
import { TextArea } from '../../ui/fields'
import { moment } from '../../ui/time'
import type { useChange } from './useChange'

type PurposeProps = { change: ChangeSteps; doing: ReturnType<typeof useChange>; isOpen: boolean }

/** What a change is called and what it is for; whoever may edits the purpose in place. */
export function Purpose({ change, doing, isOpen }: PurposeProps) {
  const [typed, setTyped] = useState<string | null>(null)
  const keep = () =>
    doing.say.mutate(
      { purpose: (typed ?? '').trim(), text: 'another purpose' },
      { onSuccess: () => setTyped(null) },
    )
  return (
    <div className="mb-2">
      <h2 className="text-lg font-semibold break-words">{change.name}</h2>
      {typed === null ? (
        <p>
          {change.purpose || <span className="text-soft">No purpose is given. </span>}{' '}
          {isOpen && (
            <button
              type="button"
              className="text-sm text-link hover:underline"
              onClick={() => setTyped(change.purpose)}
            >
              {change.purpose ? 'edit' : 'Say what it is for'}
            </button>
          )}
        </p>
      ) : (
        <div className="flex flex-col gap-2">
          <TextArea
            aria-label="What it is for"
            rows={3}
            maxLength={1000}
            autoFocus
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
          />
          <span className="flex gap-2">
            <Button tone="main" onClick={keep} disabled={doing.say.isPending}>
              Keep
            </Button>
            <Button onClick={() => setTyped(null)}>Leave it</Button>
          </span>
          {doing.say.isError && <Problem error={doing.say.error} />}
        </div>
      )}
      <p className="text-sm text-soft">
        {change.edited_by ?? 'somebody'}, {moment(change.edited)}
        {change.below && `; on top of ${change.below}`}
        {change.became !== null && `; accepted as revision ${change.became}`}
      </p>
    </div>
  )
}
