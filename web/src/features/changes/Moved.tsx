import { useMemo } from 'react'
import { Link } from 'react-router'
import type { ComparedFlow, Comparison, RouteGroup } from '../../api/types'
import { useAddress } from '../../ui/address'
import { Panel } from '../../ui/controls'
import { DataTable, type Column } from '../../ui/DataTable'
import { SHIFT_WORDS, VERDICT_WORDS } from '../../wording'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLinkTo } from '../lens/lens'
import { Named } from '../lens/Named'
import { EditThere } from './EditThere'

const VIEWS = ['flows', 'routes', 'more'] as const

/** All that is not the same in two lenses: in a sentence, with what looks like a mistake, and in tables. */
export function Moved({ found }: { found: Comparison }) {
  const [params, change] = useAddress()
  const view = VIEWS.find((each) => each === params.get('moved')) ?? 'flows'
  const more = [found.sessions, found.adjacencies].flatMap(({ up, down }) => [...up, ...down]).length
  const findings = found.findings.new.length + found.findings.gone.length
  const titles = {
    flows: `Flows ${found.flows.length}`,
    routes: `Routes ${found.routes.groups.reduce((sum, { count }) => sum + count, 0)}`,
    more: `Entries, sessions, findings ${found.entries.length + found.roles.length + more + findings}`,
  }
  return (
    <>
      <Panel>
        <p>
          <Named text={found.summary} />
        </p>
        <Warnings found={found} />
      </Panel>
      <div role="group" aria-label="What moved" className="flex flex-wrap gap-2">
        {VIEWS.map((each) => (
          <button
            key={each}
            type="button"
            aria-pressed={view === each}
            onClick={() => change({ moved: each, filter: null, sort: null }, { quiet: true })}
            className={`rounded-md border px-3 py-1 ${view === each ? 'border-ink bg-ink text-paper' : 'border-line bg-card text-ink'}`}
          >
            {titles[each]}
          </button>
        ))}
      </div>
      <Panel className="min-h-72 flex-1 overflow-auto">
        {view === 'flows' && <Flows flows={found.flows} />}
        {view === 'routes' && (
          <DataTable
            rows={found.routes.groups}
            columns={ROUTE_COLUMNS}
            what="groups of routes"
            empty="No route is another."
          />
        )}
        {view === 'more' && <More found={found} />}
      </Panel>
    </>
  )
}

function Warnings({ found }: { found: Comparison }) {
  return found.warnings.map((warning) => (
    <details key={warning.code + warning.text} className="mt-2 border-l-4 border-warn pl-2">
      <summary className="cursor-pointer">
        <strong className="text-warn">!</strong> <Named text={warning.text} />
      </summary>
      <ul className="mt-1 ml-4 list-disc text-sm">
        {warning.evidence.map((evidence) => (
          <li key={evidence.text}>
            <Named text={evidence.text} /> <EvidenceLink file={evidence.file} line={evidence.line} />{' '}
            <EditThere file={evidence.file} line={evidence.line} />
          </li>
        ))}
      </ul>
    </details>
  ))
}

function Flows({ flows }: { flows: ComparedFlow[] }) {
  const to = useLinkTo()
  const columns = useMemo(
    (): Column<ComparedFlow>[] => [
      {
        title: 'from',
        text: (flow) => flow.from,
        show: (flow) => <End flow={flow} end="from" />,
        width: '8rem',
      },
      { title: 'to', text: (flow) => flow.to, show: (flow) => <End flow={flow} end="to" />, width: '8.5rem' },
      {
        title: 'traffic',
        text: (flow) => (flow.as || 'ping') + (flow.source_port === null ? '' : ` from ${flow.source_port}`),
        width: '5rem',
      },
      {
        title: 'what moves',
        text: (flow) => SHIFT_WORDS[flow.shift],
        show: (flow) => (
          <span
            className={
              flow.shift === 'lost' ? 'font-semibold text-stop' : flow.shift === 'won' ? 'text-go' : ''
            }
          >
            {flow.shift === 'lost' && '✗ '}
            {flow.shift === 'won' && '✓ '}
            {SHIFT_WORDS[flow.shift]}
          </span>
        ),
        width: '8rem',
      },
      {
        title: 'before and now',
        text: (flow) => flow.text,
        show: (flow) => (
          <Link
            to={to('flows', {
              from: askable(flow.from, flow.from_asked),
              to: askable(flow.to, flow.to_asked),
              as: flow.as,
              source_port: flow.source_port,
            })}
            title={`${VERDICT_WORDS[flow.before]} before, ${VERDICT_WORDS[flow.after]} now: the flow through this lens`}
          >
            <Named text={flow.text} />
          </Link>
        ),
        width: 'minmax(12rem,1fr)',
      },
    ],
    [to],
  )
  return <DataTable rows={flows} columns={columns} what="flows" empty="No flow is treated otherwise." />
}

/** What a question names an end by: a device's name, where that stands for the address. */
const askable = (text: string, asked: string) => (/[ –]/.test(text) || asked.includes(':') ? asked : text)

function End({ flow, end }: { flow: ComparedFlow; end: 'from' | 'to' }) {
  const alike = end === 'from' ? flow.from_alike : flow.to_alike
  return (
    <>
      {flow[end]}
      {alike.length > 0 && (
        <span className="text-soft" title={alike.join(', ')}>
          {' '}
          and {alike.length} more
        </span>
      )}
      {end === 'from' && flow.name && <span className="block text-sm text-soft">{flow.name}</span>}
    </>
  )
}

/** The device's table, and beside it the same in the other lens. */
function BothTables({ group }: { group: RouteGroup }) {
  const to = useLinkTo()
  const vrf = group.vrf === 'default' ? null : group.vrf
  return (
    <Link
      to={to('routes', { table: group.device, vrf, before: 1, differing: 1 })}
      title={`What differs in the table of ${group.device}, now and before`}
    >
      side by side
    </Link>
  )
}

const ROUTE_COLUMNS: Column<RouteGroup>[] = [
  { title: 'routes', text: (group) => group.count, width: '4.5rem' },
  {
    title: 'what changed',
    text: (group) => group.text,
    show: (group) => (
      <span title={group.prefixes.join(', ')}>
        <Named text={group.text} />
      </span>
    ),
    width: 'minmax(18rem,1.4fr)',
  },
  {
    title: 'why',
    text: (group) => group.reason,
    show: (group) => <Named text={group.reason} />,
    width: 'minmax(14rem,1fr)',
  },
  {
    title: 'table',
    text: (group) => group.device,
    show: (group) => <BothTables group={group} />,
    width: '6.5rem',
  },
]

function More({ found }: { found: Comparison }) {
  const { entries, roles, sessions, adjacencies, findings } = found
  const lists: [string, string[]][] = [
    ['What comes in elsewhere', entries.map((entry) => `${entry.text}: ${entry.reason}`)],
    [
      'Sessions down',
      sessions.down.map((s) => `${s.device} with ${s.neighbour}${s.reason ? `: ${s.reason}` : ''}`),
    ],
    ['Sessions up', sessions.up.map((s) => `${s.device} with ${s.neighbour}`)],
    ...(['down', 'up'] as const).map((way): [string, string[]] => [
      way === 'down' ? 'Adjacencies gone' : 'Adjacencies new',
      adjacencies[way].map(
        (a) =>
          `${a.protocol} ${a.where}: ${a.device}:${a.interface} – ${a.neighbour}:${a.neighbour_interface}`,
      ),
    ]),
    ['Roles elsewhere', roles.map((role) => role.text)],
    ['Findings new', findings.new.map((finding) => finding.text)],
    ['Findings gone', findings.gone.map((finding) => finding.text)],
  ]
  const told = lists.filter(([, lines]) => lines.length > 0)
  if (told.length === 0)
    return <p className="text-soft">No entry, session, adjacency, role or finding is another.</p>
  return told.map(([title, lines]) => (
    <section key={title} className="mb-3">
      <h3 className="font-semibold">
        {title} ({lines.length})
      </h3>
      <ul className="ml-5 list-disc">
        {lines.map((line) => (
          <li key={line}>
            <Named text={line} />
          </li>
        ))}
      </ul>
    </section>
  ))
}
