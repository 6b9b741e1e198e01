import type { Flow } from '../../api/types'
import { lensWords } from '../../wording'
import type { Base } from '../../api/queries'
import { Named } from '../lens/Named'

/** What becomes of the flow in the second lens, over the picture that shows both. */
export function Before({ flow, moved, pinned }: { flow: Flow; moved: boolean; pinned: Base }) {
  return (
    <div
      role="note"
      aria-label="Before"
      className="rounded-card border border-dashed border-edge bg-card px-3 py-1.5"
    >
      <strong>Before</strong> <span className="text-soft">({lensWords(pinned)}):</span>{' '}
      {moved ? (
        <>
          <Named text={flow.sentence} />{' '}
          <span className="text-sm text-soft">
            Dashed: before alone. Marked “new”: now alone. All else is on the way in both.
          </span>
        </>
      ) : (
        'the same ways in both directions, with the same end.'
      )}
    </div>
  )
}
