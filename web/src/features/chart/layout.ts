import type { Chart } from '../../api/types'
import { around, lengthOf, type Box } from './geometry'
import { crossings } from './measure'
import { partsOf, type ChartParts } from './parts'
import { place, type Placement, type Places } from './place'
import { routeLines, type Line } from './route'

export type LayoutQuestion = {
  chart: Chart
  hosts: 'all' | string[]
  /** Sites that are folded; left out: none. */
  shut?: 'all' | string[]
  known: Places
}
export type ChartLayout = {
  parts: ChartParts
  nodes: Map<string, Box>
  areas: Map<string, Box>
  lines: Line[]
}

/** Small charts are begun in several ways, of which the one is taken that reads best. */
const VARIANTS = 8
const NODES_IN_ALL = 450
/** What a crossing counts, in pixels of lines. */
const CROSSING = 150
/** A screen is so much wider than high. */
const WIDER = 1.8

/** A whole chart: what is shown, where it stands, and how its lines run. The same question gives the same chart. */
export function layoutChart({ chart, hosts, shut = [], known: kept }: LayoutQuestion): ChartLayout {
  const parts = partsOf(
    chart,
    hosts === 'all' ? 'all' : new Set(hosts),
    shut === 'all' ? 'all' : new Set(shut),
  )
  const known = withSites(kept, parts)
  const hints: Places = {}
  for (const { name, position } of chart.sites) {
    const [x, y] = position ?? []
    if (x !== undefined && y !== undefined) hints[name] = { x, y }
  }
  const begun = (variant: number) => place(parts, known, hints, variant)
  const isNew = !parts.nodes.some((node) => known[node.id])
  const all = Array.from({ length: isNew ? variantsFor(parts.nodes.length) : 1 }, (_, variant) =>
    begun(variant),
  )
  const { nodes, groups } = best(all, parts)
  return { parts, nodes, areas: groups, lines: routeLines(parts.links, nodes) }
}

/** Folded sites stand in the middle of their devices, as far as those have places. */
function withSites(known: Places, { nodes }: ChartParts): Places {
  const found: Places = { ...known }
  for (const node of nodes) {
    const at = node.members.flatMap((device) => known[`device ${device.name}`] ?? [])
    if (at.length === 0) continue
    const sum = at.reduce((a, b) => ({ x: a.x + b.x, y: a.y + b.y }))
    found[node.id] = { x: sum.x / at.length, y: sum.y / at.length }
  }
  return found
}

/** The placement that reads best; one alone need not be weighed. */
function best(all: Placement[], parts: ChartParts): Placement {
  const [first, ...others] = all
  if (!first) throw new Error('there is no placement to choose from')
  if (others.length === 0) return first
  const costs = all.map((placement) => costOf(placement, parts))
  return all[costs.indexOf(Math.min(...costs))] ?? first
}

/** How many starts there is time for. */
const variantsFor = (nodes: number) =>
  Math.max(1, Math.min(VARIANTS, Math.floor(NODES_IN_ALL / Math.max(1, nodes))))

/** How badly a chart reads, were its lines straight. */
function costOf({ nodes, groups }: Placement, { links }: ChartParts): number {
  const lines = links.map((link): Line => ({
    link,
    points: [link.from, link.to].flatMap((id) => nodes.get(id) ?? []),
  }))
  const length = lines.reduce((sum, line) => sum + lengthOf(line.points), 0)
  const whole = around(groups.values())
  return crossings(lines) * CROSSING + length + (whole ? Math.hypot(whole.width, whole.height * WIDER) : 0)
}
