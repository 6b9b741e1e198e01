import { Link } from 'react-router'
import { lensWords } from '../../wording'
import { useLens, useLinkTo } from './lens'
import { useSeeing } from './useSeeing'

/** The second lens, with which the first is compared; or the way to pin what is seen now. */
export function PinnedLens() {
  const { change, fail } = useLens()
  const { pinned, pin, unpin } = useSeeing()
  const to = useLinkTo()
  const look = 'whitespace-nowrap text-sea-soft hover:text-sea-ink'
  const moves = (
    <Link to={to('compare')} className="whitespace-nowrap text-sea-ink underline">
      What moves
    </Link>
  )
  if (pinned)
    return (
      <span className="flex min-w-0 items-center gap-1.5" role="group" aria-label="Compared with">
        <span className="text-sea-soft">against</span>
        <span className="max-w-80 truncate rounded border border-sea-soft px-1.5 py-0.5">
          {lensWords(pinned)}
        </span>
        <button type="button" className={look} aria-label="Compare with it no more" onClick={unpin}>
          ✕
        </button>
        {moves}
      </span>
    )
  return (
    <>
      {(change || fail) && moves}
      <button
        type="button"
        className={`${look} max-2xl:hidden`}
        title="Keep what is seen now as the second lens, and compare with it whatever is seen next"
        onClick={pin}
      >
        Compare with this
      </button>
    </>
  )
}
