import { Link } from 'react-router'
import { useLinkTo, useLens } from './lens'
import { useSeeing } from './useSeeing'

/** The changes that the lens makes to the revision, each to be opened or taken out. */
export function MadeChanges() {
  const { change = [] } = useLens()
  const { see } = useSeeing()
  const to = useLinkTo()
  if (change.length === 0) return null
  return (
    <span
      className="flex min-w-0 flex-wrap items-center gap-1.5"
      role="group"
      aria-label="Changed in this lens"
    >
      <span className="text-sea-soft">with</span>
      {change.map((name) => (
        <span key={name} className="flex items-center rounded bg-card text-ink">
          <Link
            to={to(`changes/${encodeURIComponent(name)}`)}
            title={`The change ${name}`}
            className="max-w-64 truncate py-0.5 pl-1.5 text-ink"
          >
            {name}
          </Link>
          <button
            type="button"
            aria-label={`Look without the change ${name}`}
            className="px-1.5 py-0.5 hover:underline"
            onClick={() => see({ change: change.filter((each) => each !== name) })}
          >
            ✕
          </button>
        </span>
      ))}
    </span>
  )
}
