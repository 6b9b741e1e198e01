import { tablesWords } from '../../wording'
import { useLens } from './lens'
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
        <span key={word} className="flex items-center rounded bg-warn-wash text-warn">
          <span className="max-w-72 truncate py-0.5 pl-1.5" title={tablesWords(word)}>
            {tablesWords(word)}
          </span>
          <button
            type="button"
            aria-label={`Take back: ${tablesWords(word)}`}
            className="px-1.5 py-0.5 hover:underline"
            onClick={() => see({ tables: tables.filter((each) => each !== word) })}
          >
            ✕
          </button>
        </span>
      ))}
    </span>
  )
}
