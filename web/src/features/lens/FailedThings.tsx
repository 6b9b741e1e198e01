import { failureWords } from '../../wording'
import { LensChip } from './LensChip'
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
        <LensChip
          key={name}
          words={`${failureWords(name)} failed`}
          title={failureWords(name)}
          label={`Let ${failureWords(name)} work again`}
          tone="bg-stop-wash text-stop"
          onTakeBack={() => letWork(name)}
        />
      ))}
      {failed.length > 1 && (
        <button type="button" className="text-sea-soft hover:text-sea-ink" onClick={letAllWork}>
          take all back
        </button>
      )}
    </span>
  )
}
