import { useMemo } from 'react'
import type { Direction, Evidence, Flow, Hop } from '../../api/types'
import { DataTable, type Column } from '../../ui/DataTable'
import { EvidenceLink } from '../lens/EvidenceLink'
import type { HopRef } from './strip/graph'
import { useNames, withNames } from '../lens/Named'
import { VERDICT_WORDS } from '../../wording'

type Row = {
  way: string
  branch: string
  number: number
  hop: Hop
  route: Extract<Evidence, { kind: 'route' }> | null
  mtu: number | null
  end: string
  ref: HopRef
}

/** The same answer as a table: one row for each hop of each branch. */
export function HopTable({ flow, onSelect }: { flow: Flow; onSelect: (ref: HopRef) => void }) {
  const rows = useMemo(() => rowsOf(flow), [flow])
  const names = useNames()
  const columns = useMemo(() => columnsOf(onSelect, names), [onSelect, names])
  return (
    <DataTable
      rows={rows}
      columns={columns}
      what="hops"
      empty="Nothing was followed."
      height={`${Math.min(24, 6 + 2.2 * rows.length)}rem`}
    />
  )
}

function columnsOf(onSelect: (ref: HopRef) => void, names: ReadonlyMap<string, string>): Column<Row>[] {
  return [
    { title: 'way', text: (row) => row.way, width: '5rem' },
    { title: 'branch', text: (row) => row.branch, width: '5rem' },
    { title: 'hop', text: (row) => row.number, width: '3.5rem' },
    { title: 'in', text: (row) => row.hop.in ?? '', width: '5rem' },
    {
      title: 'device',
      text: (row) => row.hop.device,
      show: (row) => (
        <button type="button" className="text-link hover:underline" onClick={() => onSelect(row.ref)}>
          {row.hop.device}
        </button>
      ),
      width: 'minmax(7rem,1fr)',
    },
    { title: 'out', text: (row) => row.hop.out ?? '', width: '5rem' },
    { title: 'matched', text: (row) => row.route?.route?.prefix ?? '', width: 'minmax(8rem,1.2fr)' },
    {
      title: 'by',
      text: (row) => row.route?.protocol_text ?? '',
      show: (row) =>
        row.route && (
          <>
            {row.route.protocol_text} <EvidenceLink file={row.route.file} line={row.route.line} short />
          </>
        ),
      width: 'minmax(8rem,1.2fr)',
    },
    {
      title: 'next hop',
      text: (row) => withNames(row.route?.next_hop?.address ?? '', names),
      width: 'minmax(7rem,1fr)',
    },
    { title: 'MTU, bytes', text: (row) => row.mtu ?? '', width: '6.5rem' },
    { title: 'end', text: (row) => row.end, width: 'minmax(5rem,1fr)' },
  ]
}

function rowsOf(flow: Flow): Row[] {
  const ways: [HopRef['way'], Direction | null][] = [
    ['forward', flow.forward],
    ['return', flow.return],
  ]
  return ways.flatMap(([way, direction]) =>
    (direction?.branches ?? []).flatMap((branch, number) =>
      branch.hops.map((hop, at): Row => {
        const of = <Kind extends Evidence['kind']>(kind: Kind) =>
          hop.stages.find((stage) => stage.evidence?.kind === kind)?.evidence as
            Extract<Evidence, { kind: Kind }> | undefined
        return {
          way,
          branch: `${number + 1}, ${branch.share_text}`,
          number: at + 1,
          hop,
          route: of('route') ?? null,
          mtu: of('mtu')?.mtu ?? null,
          end: at === branch.hops.length - 1 ? VERDICT_WORDS[branch.verdict] : '',
          ref: { way, branch: number, hop: at },
        }
      }),
    ),
  )
}
