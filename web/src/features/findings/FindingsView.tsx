import { useMemo } from 'react'
import { Panel, Problem, Severity, Waiting } from '../../ui/controls'
import { DataTable, type Column } from '../../ui/DataTable'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens } from '../lens/lens'
import { useAddress } from '../../ui/address'
import { type Cause } from './causes'
import { CauseSheet } from './CauseSheet'
import { useCauses } from './useCauses'
import { sinceWords } from '../../wording'

/** Everything suspicious, one row for each cause; the newest first, what is muted on demand. */
export function FindingsView() {
  const { causes, error } = useCauses()
  const { revision } = useLens()
  const [params, change] = useAddress()
  const withMuted = params.get('muted') === 'shown'
  const key = params.get('finding')
  const muted = causes?.filter((cause) => cause.muted !== null).length ?? 0
  const chosen = causes?.find((cause) => cause.key === key) ?? null
  const rows = useMemo(
    () => causes?.filter((cause) => withMuted || cause.muted === null) ?? [],
    [causes, withMuted],
  )
  const columns = useMemo(
    () => columnsOf(revision, (cause) => change({ finding: cause.key })),
    [revision, change],
  )
  if (error) return <Problem error={error} />
  if (!causes) return <Waiting what="Looking for findings" />
  return (
    <div
      className={`grid h-full min-h-0 grid-cols-[minmax(0,1fr)] gap-3 ${chosen ? 'md:grid-cols-[minmax(0,1fr)_22rem]' : ''}`}
    >
      <Panel className="flex min-h-0 flex-col">
        {muted > 0 && (
          <button
            type="button"
            className="mb-1 self-start text-link hover:underline"
            onClick={() => change({ muted: withMuted ? null : 'shown' })}
          >
            {withMuted ? `Hide the ${muted} muted` : `${muted} muted, show ${muted === 1 ? 'it' : 'them'}`}
          </button>
        )}
        <div className="min-h-0 flex-1">
          <DataTable
            rows={rows}
            columns={columns}
            what="findings"
            empty="Nothing suspicious in addresses, links and routing."
          />
        </div>
      </Panel>
      {chosen && <CauseSheet key={chosen.key} cause={chosen} onClose={() => change({ finding: null })} />}
    </div>
  )
}

function columnsOf(revision: number | undefined, open: (cause: Cause) => void): Column<Cause>[] {
  const first = (cause: Cause) => cause.findings[0]
  return [
    {
      title: 'severity',
      text: (cause) => cause.severity,
      show: (cause) =>
        cause.muted ? <span className="text-soft">muted</span> : <Severity value={cause.severity} />,
      width: '6.5rem',
    },
    { title: 'since', text: (cause) => sinceWords(cause, revision), width: '7rem' },
    {
      title: 'what',
      text: (cause) => first(cause)?.text ?? '',
      show: (cause) => (
        <button type="button" className="text-left hover:underline" onClick={() => open(cause)}>
          {first(cause)?.text}
          {cause.findings.length > 1 && (
            <span className="text-soft"> and {cause.findings.length - 1} more of the same cause</span>
          )}
        </button>
      ),
      width: 'minmax(16rem,3fr)',
    },
    { title: 'what to do', text: (cause) => first(cause)?.suggestion ?? '', width: 'minmax(10rem,2fr)' },
    {
      title: 'where',
      text: (cause) => `${first(cause)?.cause.file}:${first(cause)?.cause.line}`,
      show: (cause) => <EvidenceLink file={first(cause)?.cause.file} line={first(cause)?.cause.line} />,
      width: '12.5rem',
    },
  ]
}
