import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { agreementQuery } from '../../api/queries'
import type { Agreement, EntryDifference, TableAgreement } from '../../api/types'
import { useAddress } from '../../ui/address'
import { Button, Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { DataTable, toCsv, type Column } from '../../ui/DataTable'
import { downloadText } from '../../ui/download'
import { Select } from '../../ui/fields'
import { moment } from '../../ui/time'
import { counted, differenceWords, tableName } from '../../wording'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens, useLinkTo, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { useSeeing } from '../lens/useSeeing'
import { MendingPanel } from './MendingPanel'
import { RouteTabs } from './RouteTabs'

/** How far computed tables agree with those that were read from devices, and why not. */
export function AgreementPage() {
  const { network } = usePlace()
  if (!network.newest_revision) return <p className="p-4">Nothing is imported yet.</p>
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 max-md:min-h-[36rem]">
      <PageHead title="Tables as read" />
      <RouteTabs />
      <Answer />
    </div>
  )
}

const CHOICES: [string, string][] = [
  ['', 'what each file says'],
  ['computed', 'computed tables'],
  ['known', 'tables as read, where known'],
]
const CHOICES_OF_ONE: [string, string][] = [
  ['', 'as all others'],
  ['computed', 'its computed table'],
  ['known', 'its table as read'],
]

/** Chooses what devices forward by, of all or of one of them. */
function TablesChoice({ label, of = '' }: { label: string; of?: string }) {
  const { tables = [] } = useLens()
  const { see } = useSeeing()
  const isMeant = (word: string) => (of ? word.startsWith(`${of}=`) : !word.includes('='))
  const chosen = tables.find(isMeant)?.split('=').at(-1) ?? ''
  const choose = (source: string) => {
    const others = tables.filter((word) => !isMeant(word))
    see({ tables: source ? [...others, of ? `${of}=${source}` : source] : others })
  }
  return (
    <label className="flex items-center gap-2">
      {label}
      <Select room="dense" value={chosen} onChange={(event) => choose(event.target.value)}>
        {(of ? CHOICES_OF_ONE : CHOICES).map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
        {chosen === 'observed' && <option value="observed">tables as read, those alone</option>}
      </Select>
    </label>
  )
}

function Answer() {
  const lens = useLens()
  const found = useQuery(agreementQuery(lens))
  const [params, change] = useAddress()
  if (found.isError) return <Problem error={found.error} />
  if (found.isPending) return <Waiting what="Holding every table against what was read" />
  const tables = found.data.devices
  const key = (table: TableAgreement) => `${table.device} ${table.vrf}`
  const shown =
    tables.find((table) => key(table) === params.get('table')) ??
    tables.find((table) => table.differences.length > 0) ??
    tables[0]
  return (
    <>
      <div
        className={`flex flex-wrap items-center gap-3 rounded-card border border-l-8 bg-card px-3 py-2 ${found.data.equal === found.data.entries ? 'border-line' : 'border-warn'}`}
      >
        <p role="status" aria-label="Agreement" className="flex-1 text-[1.05rem]">
          {found.data.sentence}
        </p>
        <TablesChoice label="Look through" />
        {found.data.equal < found.data.entries && !params.get('mend') && (
          <Button onClick={() => change({ mend: 'yes' })}>What would mend it?</Button>
        )}
        {tables.length > 0 && (
          <Button onClick={() => downloadText('agreement.csv', asCsv(found.data))}>Download as CSV</Button>
        )}
      </div>
      {params.get('mend') && <MendingPanel />}
      {shown ? (
        <div className="grid min-h-0 flex-1 grid-cols-[15rem_minmax(0,1fr)] gap-3 max-lg:grid-cols-1">
          <Panel title="Tables that were read" className="min-h-0 overflow-auto">
            <ul className="divide-y divide-line">
              {tables.map((table) => (
                <li key={key(table)}>
                  <button
                    type="button"
                    aria-current={table === shown}
                    className="w-full rounded px-2 py-2 text-left hover:bg-sunk aria-[current=true]:bg-chosen-wash"
                    onClick={() => change({ table: key(table) })}
                  >
                    <span className="flex items-baseline justify-between gap-2">
                      <span className="font-semibold">{tableName(table.device, table.vrf)}</span>
                      <span className={table.differences.length ? 'text-warn' : 'text-go'}>
                        {differWords(table.differences.length)}
                      </span>
                    </span>
                    <span className="block text-soft">
                      {table.equal} of {table.entries} entries equal
                      {table.time && <span className="block">read {readWhen(table.time)}</span>}
                    </span>
                  </button>
                </li>
              ))}
            </ul>
          </Panel>
          <Differences table={shown} />
        </div>
      ) : (
        <p className="p-4">
          No table was read from a device of this network. Tables come with an import: as CSV, from a Linux
          host’s captures, or in the JSON of a device.
        </p>
      )}
    </>
  )
}

function Differences({ table }: { table: TableAgreement }) {
  const to = useLinkTo()
  const differing = table.differences.length
  const columns: Column<EntryDifference>[] = [
    {
      title: 'prefix',
      text: (one) => one.prefix,
      show: (one) => (
        <Link to={to('routes', { q: one.prefix, device: table.device, vrf: table.vrf })}>
          <Mono>{one.prefix}</Mono>
        </Link>
      ),
      width: '11.5rem',
    },
    { title: 'difference', text: (one) => differenceWords(one.kind), width: '7.5rem' },
    {
      title: 'computed',
      text: (one) => sideWords(one.computed),
      show: (one) => (
        <>
          {sideWords(one.computed)}{' '}
          {one.computed && <EvidenceLink file={one.computed.file} line={one.computed.line} />}
        </>
      ),
      width: 'minmax(8rem,1fr)',
    },
    {
      title: 'read',
      text: (one) => sideWords(one.observed),
      show: (one) => (
        <>
          {sideWords(one.observed)}{' '}
          {one.observed && <EvidenceLink file={one.observed.file} line={one.observed.line} />}
        </>
      ),
      width: 'minmax(8rem,1fr)',
    },
    {
      title: 'likely reason',
      text: (one) => one.reason,
      show: (one) => (
        <>
          {one.reason}{' '}
          {one.evidence && isElsewhere(one) && (
            <EvidenceLink file={one.evidence.file} line={one.evidence.line} />
          )}
        </>
      ),
      width: 'minmax(10rem,1.4fr)',
    },
  ]
  return (
    <Panel
      title={`${tableName(table.device, table.vrf)}: ${differing > 0 ? counted(differing, 'difference') : 'no differences'}`}
      className="flex min-h-0 flex-col"
      aside={<TablesChoice label={`${table.device} forwards by`} of={table.device} />}
    >
      {table.reasons.length > 1 && (
        <ul className="mb-2 text-soft">
          {table.reasons.map((reason) => (
            <li key={reason.reason}>
              {reason.count} × {reason.reason}
            </li>
          ))}
        </ul>
      )}
      <DataTable
        rows={table.differences}
        columns={columns}
        what="differences"
        empty="Every entry that was read is computed, and every one that is computed was read."
      />
    </Panel>
  )
}

/** Whether the reason's line is another one than those of both sides. */
function isElsewhere({ evidence, computed, observed }: EntryDifference): boolean {
  return ![computed, observed].some((side) => side?.file === evidence?.file && side?.line === evidence?.line)
}

function differWords(count: number): string {
  return count === 0 ? 'all equal' : count === 1 ? '1 differs' : `${count} differ`
}

/** When a table was read, as its file has it where that is no moment. */
function readWhen(text: string): string {
  return Number.isNaN(Date.parse(text)) ? text : moment(text)
}

function sideWords(side: EntryDifference['computed'] | EntryDifference['observed']): string {
  if (!side) return 'none'
  const drops = 'drops' in side ? side.drops : side.discard ? 'discard' : null
  const hops = side.next_hops.map((hop) => [hop.address, hop.interface].filter(Boolean).join(' by '))
  return `${side.protocol || 'not said'}, ${drops ?? hops.join(' and ')}`
}

type ListedDifference = { table: TableAgreement; one: EntryDifference }

const CSV_COLUMNS: Pick<Column<ListedDifference>, 'title' | 'text'>[] = [
  { title: 'device', text: ({ table }) => table.device },
  { title: 'vrf', text: ({ table }) => table.vrf },
  { title: 'prefix', text: ({ one }) => one.prefix },
  { title: 'kind', text: ({ one }) => one.kind },
  { title: 'computed', text: ({ one }) => sideWords(one.computed) },
  { title: 'read', text: ({ one }) => sideWords(one.observed) },
  { title: 'reason', text: ({ one }) => one.reason },
]

function asCsv(found: Agreement): string {
  const listed = found.devices.flatMap((table) => table.differences.map((one) => ({ table, one })))
  return toCsv(CSV_COLUMNS, listed)
}
