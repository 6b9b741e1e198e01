import { useQueries } from '@tanstack/react-query'
import { Link } from 'react-router'
import { TABLE_PAGE, tableQuery, type Lens, type TableQuestion } from '../../api/queries'
import type { TableRow, TitledRoute } from '../../api/types'
import { Mono } from '../../ui/controls'
import { Cell, useVirtualRows, VirtualRows } from '../../ui/VirtualRows'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLinkTo } from '../lens/lens'
import { Named } from '../lens/Named'
import { hopWords, lensWords } from '../../wording'

const ONE = 'minmax(10rem,1.2fr) minmax(9rem,1fr) 6rem 6rem minmax(13rem,2.2fr) 11rem'
const TWO = 'minmax(9rem,1fr) minmax(14rem,2fr) minmax(14rem,2fr)'

/** The rows of one table or two; pages come as they are scrolled to. */
export function TableRows({ lens, question, count }: { lens: Lens; question: TableQuestion; count: number }) {
  const { device, other, before } = question
  const isTwo = before !== undefined || other !== undefined
  const drawn = useVirtualRows(count, isTwo ? 54 : 34)
  const pages = [...new Set(drawn.items.map((item) => Math.floor(item.index / TABLE_PAGE)))]
  const loaded = useQueries({ queries: pages.map((page) => tableQuery(lens, question, page)) })
  const rowAt = (index: number): TableRow | undefined => {
    const page = loaded[pages.indexOf(Math.floor(index / TABLE_PAGE))]
    return page?.data?.rows[index % TABLE_PAGE]
  }
  const titles = isTwo
    ? ['prefix', ...(before ? ['now', `before, ${lensWords(before)}`] : [device, other])]
    : ['prefix', 'protocol', 'distance', 'metric', 'next hops', 'configured']
  const cells = (index: number) => {
    const row = rowAt(index)
    if (!row) return <Cell>…</Cell>
    return isTwo ? (
      <Pair row={row} device={row.left ? device : (other ?? device)} />
    ) : (
      <Single row={row} device={device} />
    )
  }
  return (
    <VirtualRows
      rows={drawn}
      what="routes"
      widths={isTwo ? TWO : ONE}
      empty="No route matches."
      header={titles.map((title) => (
        <div key={title} role="columnheader" className="px-2 py-1 text-sm font-semibold text-soft">
          {title}
        </div>
      ))}
    >
      {cells}
    </VirtualRows>
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
      <Cell>
        <PrefixLink prefix={row.prefix} device={device} />
      </Cell>
      <Cell>{route.title}</Cell>
      <Cell>{route.distance}</Cell>
      <Cell>{route.metric}</Cell>
      <Cell wide>
        <Mono>
          <Named text={hopWords(route)} />
        </Mono>
      </Cell>
      <Cell>
        <EvidenceLink file={route.file} line={route.line} />
      </Cell>
    </>
  )
}

function Pair({ row, device }: { row: TableRow; device: string }) {
  return (
    <>
      <Cell>
        <PrefixLink prefix={row.prefix} device={device} />
      </Cell>
      <Cell wide>
        <Brief route={row.left} />
      </Cell>
      <Cell wide>
        <Brief route={row.right} />
      </Cell>
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
        <Named text={hopWords(route)} />
      </span>
    </>
  )
}
