type LensChipProps = { words: string; title?: string; label: string; tone: string; onTakeBack: () => void }

/** One thing that a lens adds to a revision, to be taken back. */
export function LensChip({ words, title = words, label, tone, onTakeBack }: LensChipProps) {
  return (
    <span className={`flex items-center rounded ${tone}`}>
      <span className="max-w-72 truncate py-0.5 pl-1.5" title={title}>
        {words}
      </span>
      <button type="button" aria-label={label} className="px-1.5 py-0.5 hover:underline" onClick={onTakeBack}>
        ✕
      </button>
    </span>
  )
}
