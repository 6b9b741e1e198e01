import { tablesWords } from '../../wording'
import { useLens } from './lens'
import { LensChip } from './LensChip'
import { useSeeing } from './useSeeing'

/** What devices are taken to forward by in the lens, each choice to be taken back. */
export function ChosenTables() {
  const { tables = [] } = useLens()
  const { see } = useSeeing()
  if (tables.length === 0) return null
  return (
    <span
      className="flex min-w-0 flex-wrap items-center gap-1.5"
      role="group"
      aria-label="What devices forward by in this lens"
    >
      {tables.map((word) => (
        <LensChip
          key={word}
          words={tablesWords(word)}
          label={`Take back: ${tablesWords(word)}`}
          tone="bg-warn-wash text-warn"
          onTakeBack={() => see({ tables: tables.filter((each) => each !== word) })}
        />
      ))}
    </span>
  )
}
