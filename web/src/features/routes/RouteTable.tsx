import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import {
  chartQuery,
  deviceQuery,
  TABLE_PAGE,
  tableQuery,
  type Lens,
  type TableQuestion,
} from '../../api/queries'
import type { TableRow, TitledRoute } from '../../api/types'
import { Button, Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { toCsv } from '../../ui/DataTable'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useAddress, useLens, useLinkTo } from '../lens/lens'
import { hopWords } from './routeWords'
import { Input, Select } from '../../ui/fields'

/** One device's whole table, or two side by side. The server filters; rows come as they are scrolled to. */
export function RouteTable({ device }: { device: string }) {
  const lens = useLens()
  const [params, change] = useAddress()
  const [filter, setFilter] = useState('')
  const contains = useSettled(filter.trim())
  const other = params.get('other') ?? undefined
  const vrf = params.get('vrf') ?? 'default'
  const differing = other !== undefined && params.get('differing') === '1'
  const question: TableQuestion = {
    device,
    vrf,
    other,
    contains: contains || undefined,
    differing: differing || undefined,
  }
  const first = useQuery({ ...tableQuery(lens, question, 0), placeholderData: keepPreviousData })
  const chart = useQuery(chartQuery(lens))
  const own = useQuery(deviceQuery(lens, device))
  const vrfs = [...new Set(['default', ...(own.data?.interfaces.map((port) => port.vrf) ?? [])])]
  if (first.isError) return <Problem error={first.error} />
  if (first.isPending) return <Waiting what={`Reading the table of ${device}`} />
  const { total, matching } = first.data
  return (
    <Panel
      title={other ? `Tables of ${device} and ${other}` : `Table of ${device}`}
      className="flex min-h-0 flex-1 flex-col"
    >
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <Input
          type="search"
          aria-label="Filter routes"
          placeholder="prefix, protocol, next hop"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
          room="dense"
          className="w-56"
        />
        <span className="text-soft" role="status">
          {first.isPlaceholderData || contains !== filter.trim()
            ? 'Filtering…'
            : matching === total
              ? `${total} prefixes`
              : `${matching} of ${total} prefixes`}
        </span>
        {vrfs.length > 1 && (
          <label className="flex items-center gap-2 text-soft">
            VRF
            <Select
              value={vrf}
              onChange={(event) =>
                change({ vrf: event.target.value === 'default' ? null : event.target.value })
              }
              room="dense"
            >
              {vrfs.map((each) => (
                <option key={each}>{each}</option>
              ))}
            </Select>
          </label>
        )}
        <label className="flex items-center gap-2 text-soft">
          beside
          <Select
            aria-label="beside"
            value={other ?? ''}
            onChange={(event) => change({ other: event.target.value || null, differing: null })}
            room="dense"
          >
            <option value="">no other</option>
            {chart.data?.devices
              .filter((each) => each.name !== device)
              .map((each) => (
                <option key={each.name}>{each.name}</option>
              ))}
          </Select>
        </label>
        {other && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={differing}
              onChange={(event) => change({ differing: event.target.checked ? '1' : null })}
            />{' '}
            only what differs
          </label>
        )}
        <div className="flex-1" />
        <CopyTable lens={lens} question={question} count={matching} />
      </div>
      <Rows key={JSON.stringify(question)} lens={lens} question={question} count={matching} />
    </Panel>
  )
}

/** How long typing must pause before the server is asked, in milliseconds. */
const PAUSE_MS = 250

/** A value that follows once it has stopped changing. */
function useSettled(value: string): string {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), PAUSE_MS)
    return () => clearTimeout(timer)
  }, [value])
  return settled
}

const ONE = 'minmax(10rem,1.2fr) minmax(9rem,1fr) 6rem 6rem minmax(13rem,2.2fr) 11rem'
const TWO = 'minmax(9rem,1fr) minmax(14rem,2fr) minmax(14rem,2fr)'

function Rows({ lens, question, count }: { lens: Lens; question: TableQuestion; count: number }) {
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => (question.other ? 54 : 34),
    overscan: 15,
  })
  const items = virtual.getVirtualItems()
  const pages = [...new Set(items.map((item) => Math.floor(item.index / TABLE_PAGE)))]
  const loaded = useQueries({ queries: pages.map((page) => tableQuery(lens, question, page)) })
  const rowAt = (index: number): TableRow | undefined => {
    const page = loaded[pages.indexOf(Math.floor(index / TABLE_PAGE))]
    return page?.data?.rows[index % TABLE_PAGE]
  }
  const grid = { gridTemplateColumns: question.other ? TWO : ONE }
  const titles = question.other
    ? ['prefix', question.device, question.other]
    : ['prefix', 'protocol', 'distance', 'metric', 'next hops', 'configured']
  return (
    <div
      ref={scroller}
      role="table"
      aria-label="routes"
      aria-rowcount={count + 1}
      className="min-h-0 flex-1 overflow-auto"
    >
      <div role="rowgroup" className="sticky top-0 z-10 border-b border-line bg-card">
        <div role="row" className="grid" style={grid}>
          {titles.map((title) => (
            <div key={title} role="columnheader" className="px-2 py-1 text-sm font-semibold text-soft">
              {title}
            </div>
          ))}
        </div>
      </div>
      {count === 0 && <p className="p-3 text-soft">No route matches.</p>}
      <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
        {items.map((item) => {
          const row = rowAt(item.index)
          return (
            <div
              key={item.key}
              role="row"
              aria-rowindex={item.index + 2}
              data-index={item.index}
              ref={virtual.measureElement}
              className="absolute inset-x-0 grid border-b border-line/60 hover:bg-sunk"
              style={{ ...grid, transform: `translateY(${item.start}px)` }}
            >
              {row ? (
                question.other ? (
                  <Pair row={row} question={question} />
                ) : (
                  <Single row={row} device={question.device} />
                )
              ) : (
                <div role="cell" className="px-2 py-1 text-soft">
                  …
                </div>
              )}
            </div>
          )
        })}
      </div>
    </div>
  )
}

function PrefixLink({ prefix, device }: { prefix: string; device: string }) {
  const to = useLinkTo()
  return (
    <Link
      to={to('routes', { q: prefix, device })}
      className="font-mono text-[0.92em]"
      title={`Why ${device} has this route`}
    >
      {prefix}
    </Link>
  )
}

function Single({ row, device }: { row: TableRow; device: string }) {
  const route = row.left
  if (!route) return null
  return (
    <>
      <div role="cell" className="px-2 py-1">
        <PrefixLink prefix={row.prefix} device={device} />
      </div>
      <div role="cell" className="px-2 py-1">
        {route.title}
      </div>
      <div role="cell" className="px-2 py-1">
        {route.distance}
      </div>
      <div role="cell" className="px-2 py-1">
        {route.metric}
      </div>
      <div role="cell" className="min-w-0 px-2 py-1">
        <Mono>{hopWords(route)}</Mono>
      </div>
      <div role="cell" className="px-2 py-1">
        <EvidenceLink file={route.file} line={route.line} />
      </div>
    </>
  )
}

function Pair({ row, question }: { row: TableRow; question: TableQuestion }) {
  return (
    <>
      <div role="cell" className="px-2 py-1">
        <PrefixLink prefix={row.prefix} device={row.left ? question.device : (question.other ?? '')} />
      </div>
      <div role="cell" className="min-w-0 px-2 py-1">
        <Brief route={row.left} />
      </div>
      <div role="cell" className="min-w-0 px-2 py-1">
        <Brief route={row.right} />
      </div>
    </>
  )
}

function Brief({ route }: { route: TitledRoute | null }) {
  if (!route) return <span className="text-stop">✗ no route</span>
  return (
    <>
      {route.title}{' '}
      <span className="font-mono text-[0.86em]">
        {route.distance}/{route.metric}
      </span>
      <span className="block truncate font-mono text-[0.82em] text-soft" title={hopWords(route)}>
        {hopWords(route)}
      </span>
    </>
  )
}

/** Fetches what matches, however much it is, and copies it. */
function CopyTable({ lens, question, count }: { lens: Lens; question: TableQuestion; count: number }) {
  const [busy, setBusy] = useState(false)
  const copy = async () => {
    setBusy(true)
    try {
      const rows: TableRow[] = []
      for (let offset = 0; offset < count; offset += 1000) {
        const page = await data(
          api.GET('/api/networks/{slug}/table', {
            params: {
              path: { slug: lens.slug },
              query: { revision: lens.revision, ...question, offset, limit: 1000 },
            },
          }),
        )
        rows.push(...page.rows)
      }
      await navigator.clipboard.writeText(toCsv(csvColumns(question), rows))
    } finally {
      setBusy(false)
    }
  }
  return (
    <Button
      onClick={() => void copy()}
      disabled={busy}
      className="py-0.5 text-sm"
      title="Copy all rows that match as CSV"
    >
      {busy ? 'Copying…' : 'Copy as CSV'}
    </Button>
  )
}

function csvColumns(question: TableQuestion) {
  const side = (name: string, of: (row: TableRow) => TitledRoute | null) => [
    { title: `${name} protocol`, text: (row: TableRow) => of(row)?.title ?? '' },
    { title: `${name} distance`, text: (row: TableRow) => of(row)?.distance ?? '' },
    { title: `${name} metric`, text: (row: TableRow) => of(row)?.metric ?? '' },
    {
      title: `${name} next hops`,
      text: (row: TableRow) => {
        const route = of(row)
        return route ? hopWords(route) : ''
      },
    },
  ]
  return [
    { title: 'prefix', text: (row: TableRow) => row.prefix },
    ...side(question.device, (row) => row.left),
    ...(question.other ? side(question.other, (row) => row.right) : []),
  ]
}
