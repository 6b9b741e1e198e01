import { failureWords } from '../../wording'
import { useFailing } from './useFailing'

/** What has failed in the lens, each to be taken back, and the way to all that moves for it. */
export function FailedThings() {
  const { failed, letWork, letAllWork } = useFailing()
  if (failed.length === 0) return null
  return (
    <span
      className="flex min-w-0 flex-wrap items-center gap-1.5"
      role="group"
      aria-label="Failed in this lens"
    >
      {failed.map((name) => (
        <span key={name} className="flex items-center rounded bg-stop-wash text-stop">
          <span className="max-w-64 truncate py-0.5 pl-1.5" title={failureWords(name)}>
            {failureWords(name)} failed
          </span>
          <button
            type="button"
            aria-label={`Let ${failureWords(name)} work again`}
            className="px-1.5 py-0.5 hover:underline"
            onClick={() => letWork(name)}
          >
            ✕
          </button>
        </span>
      ))}
      {failed.length > 1 && (
        <button type="button" className="text-sea-soft hover:text-sea-ink" onClick={letAllWork}>
          take all back
        </button>
      )}
    </span>
  )
}
