import { columnsOf } from './columns'
import { foldsOf, type Fold } from './folds'
import {
  joined,
  wayGraph,
  type Drawn,
  type HopRef,
  type Moment,
  type Step,
  type Visit,
  type WayGraph,
} from './graph'
import { levels, untangle, type Item } from './rows'

export const TILE_HEIGHT = 60
const GAP = 12
const LINE_HEIGHT = 8
const JOINT_HEIGHT = 4

/** A device on the strip, or several that are alike folded into one tile. */
export type Tile = {
  id: string
  way: HopRef['way']
  column: number
  /** The middle, from the top of its direction. */
  y: number
  device: string
  again: number
  refs: HopRef[]
  stops: boolean
  ghost: boolean
  share: number | null
  moment: Moment
  /** All devices of a fold; empty for one device. */
  folded: string[]
  /** The fold that this tile shows, or is unfolded from. */
  fold: string | null
}

/** Where a line passes: at which column's left or right edge, or between two, and how high. */
export type Bend = { column: number; side: 'left' | 'right' | 'between'; y: number }

/** A line from tile to tile, or to a joint where several meet and part; from left to right as it is drawn. */
export type Wire = {
  id: string
  way: HopRef['way']
  share: number
  dead: boolean
  moment: Moment
  bends: Bend[]
  /** Where its arrow head is drawn: at the end of its last bend, of its first where it runs leftwards. */
  arrives: boolean
}

/** One direction: its tiles and lines, and how high it is. */
export type Half = { way: HopRef['way']; tiles: Tile[]; wires: Wire[]; height: number }
export type Strip = { columns: number; forward: Half; back: Half | null; alike: boolean }

type TwoWays = { forward: Drawn; return: Drawn | null }

/**
 * Places both directions: columns are shared, rows are each direction's own. Every line runs through
 * the free space between tiles: level past the columns it skips, and bending only between columns.
 *
 * `open`: the folds that are unfolded. `alike`: both halves run from left to right.
 */
export function layoutStrip(flow: TwoWays, open: ReadonlySet<string> = new Set(), alike = false): Strip {
  const there = wayGraph('forward', flow.forward)
  const back = flow.return && wayGraph('return', flow.return)
  const columns = columnsOf(there, back, alike)
  return {
    columns: Math.max(0, ...columns.values()) + 1,
    forward: halfOf(there, columns, open, true),
    back: back && halfOf(back, columns, open, alike),
    alike,
  }
}

function halfOf(
  graph: WayGraph,
  columns: Map<string, number>,
  open: ReadonlySet<string>,
  rightwards: boolean,
): Half {
  const folds = foldsOf(graph, columns)
  const { visits, steps, foldOf } = folded(graph, folds, open)
  const column = (id: string) => columns.get(id) ?? 0
  // As they are drawn, all lines lead to the right.
  const drawn = rightwards ? steps : steps.map((s) => ({ ...s, from: s.to, to: s.from }))
  const count = Math.max(0, ...visits.map((visit) => column(visit.id))) + 1
  // Columns of tiles stand at even places, what is between them at odd ones.
  const layers: Item[][] = Array.from({ length: 2 * count - 1 }, () => [])
  for (const visit of visits)
    layers[2 * column(visit.id)]?.push({ id: visit.id, height: TILE_HEIGHT, heavy: false })
  const chains = chainsOf(drawn, column)
  for (const chain of chains) {
    for (const [at, id] of chain.passes) layers[at]?.push({ id, height: LINE_HEIGHT, heavy: true })
  }
  const joints = jointsOf(chains)
  for (const joint of joints) layers[joint.at]?.push({ id: joint.id, height: JOINT_HEIGHT, heavy: false })
  // Where there are joints, whatever else passes there keeps to its place beside them.
  const crowded = new Set(joints.map((joint) => joint.at))
  const segments = chains.flatMap((chain) => segmentsOf(chain, joints, crowded))
  for (const segment of segments)
    if (segment.own) layers[segment.at]?.push({ id: segment.own, height: LINE_HEIGHT, heavy: true })
  const kept = layers.filter((layer) => layer.length > 0)
  const links = linksOf(segments)
  const placed = { layers: kept, links }
  untangle(placed)
  const y = levels(placed, GAP)
  const tiles = visits.map((visit): Tile => {
    const fold = foldOf.get(visit.id) ?? null
    const shut = fold !== null && !open.has(fold.id)
    return {
      id: visit.id,
      way: graph.way,
      column: column(visit.id),
      y: y.get(visit.id) ?? 0,
      device: visit.device,
      again: visit.again,
      refs: shut ? fold.visits.flatMap((each) => each.refs) : visit.refs,
      stops: visit.stops,
      ghost: visit.ghost,
      share: visit.share,
      moment: visit.moment,
      folded: shut ? fold.visits.map((each) => each.device) : [],
      fold: fold?.id ?? null,
    }
  })
  const height = Math.max(
    TILE_HEIGHT,
    ...kept.flatMap((layer) => layer.map((item) => (y.get(item.id) ?? 0) + item.height / 2)),
  )
  return { way: graph.way, tiles, wires: wiresOf(graph.way, segments, y, rightwards), height }
}

/** What is shown of a direction when some folds are shut: one visit for each of those. */
function folded(graph: WayGraph, folds: Fold[], open: ReadonlySet<string>) {
  const foldOf = new Map<string, Fold>()
  const shownAs = new Map<string, string>()
  for (const fold of folds) {
    for (const visit of fold.visits) {
      foldOf.set(visit.id, fold)
      if (!open.has(fold.id)) shownAs.set(visit.id, fold.id)
    }
  }
  const visits: Visit[] = graph.visits.filter((visit) => (shownAs.get(visit.id) ?? visit.id) === visit.id)
  const steps = new Map<string, Step>()
  for (const step of graph.steps) {
    const [from, to] = [shownAs.get(step.from) ?? step.from, shownAs.get(step.to) ?? step.to]
    const known = steps.get(`${from}\n${to}`) ?? { ...step, from, to, share: 0 }
    const moment = joined(known.moment, step.moment)
    steps.set(`${from}\n${to}`, { ...known, moment, share: Math.min(1, known.share + step.share) })
  }
  return { visits, steps: [...steps.values()], foldOf }
}

/** One step with what it passes between its ends: an item for each column that it skips. */
type Chain = Step & { passes: [number, string][]; start: number }

function chainsOf(steps: Step[], column: (id: string) => number): Chain[] {
  return steps.map((step) => {
    const [start, end] = [column(step.from), column(step.to)]
    const passes: [number, string][] = []
    for (let at = start + 1; at < end; at += 1) passes.push([2 * at, `${step.from}>${step.to}@${at}`])
    return { ...step, start, passes }
  })
}

/** A place between two columns where lines of several tiles meet and part again to several others. */
type Joint = { id: string; at: number; from: Set<string>; to: Set<string> }

/** All of a column that lead to exactly the same several others meet in a joint: nothing crosses there. */
function jointsOf(chains: Chain[]): Joint[] {
  const found: Joint[] = []
  const channels = new Map<number, Map<string, Set<string>>>()
  for (const chain of chains) {
    if (chain.passes.length > 0 || chain.dead) continue
    const at = 2 * chain.start + 1
    const channel = channels.get(at) ?? new Map<string, Set<string>>()
    channel.set(chain.from, (channel.get(chain.from) ?? new Set()).add(chain.to))
    channels.set(at, channel)
  }
  for (const [at, channel] of channels) {
    const byTargets = new Map<string, string[]>()
    for (const [from, to] of channel) {
      const key = [...to].sort().join('\n')
      byTargets.set(key, [...(byTargets.get(key) ?? []), from])
    }
    for (const [key, from] of byTargets) {
      const to = key.split('\n')
      if (from.length > 1 && to.length > 1)
        found.push({ id: `joint ${at} ${from[0]}`, at, from: new Set(from), to: new Set(to) })
    }
  }
  return found
}

/** A piece of a step through the space between two columns, `via` a joint or a place of its own where it has one. */
type Segment = {
  from: string
  to: string
  at: number
  joint: string | null
  own: string | null
  share: number
  dead: boolean
  moment: Moment
  first: boolean
  last: boolean
}

function segmentsOf(chain: Chain, joints: Joint[], crowded: Set<number>): Segment[] {
  const stations: [number, string][] = [[2 * chain.start, chain.from], ...chain.passes]
  return stations.map(([place, from], index) => {
    const to = stations[index + 1]?.[1] ?? chain.to
    const at = place + 1
    const joint = joints.find((each) => each.at === at && each.from.has(from) && each.to.has(to))
    const own = !joint && crowded.has(at) ? `${from}>${to}` : null
    return {
      from,
      to,
      at,
      joint: joint?.id ?? null,
      own,
      share: chain.share,
      dead: chain.dead,
      moment: chain.moment,
      first: index === 0,
      last: index === stations.length - 1,
    }
  })
}

function linksOf(segments: Segment[]): [string, string][] {
  const links = new Map<string, [string, string]>()
  const add = (a: string, b: string) => links.set(`${a}\n${b}`, [a, b])
  for (const { from, to, joint, own } of segments) {
    const via = joint ?? own
    if (via === null) add(from, to)
    else {
      add(from, via)
      add(via, to)
    }
  }
  return [...links.values()]
}

/** The lines as they are drawn; those of a joint once for each tile at it. */
function wiresOf(
  way: HopRef['way'],
  segments: Segment[],
  y: Map<string, number>,
  rightwards: boolean,
): Wire[] {
  const wires = new Map<string, Wire>()
  const level = (id: string) => y.get(id) ?? 0
  const add = (id: string, segment: Segment, bends: Bend[], arrives: boolean) => {
    const known = wires.get(id)
    const share = Math.min(1, (known?.share ?? 0) + segment.share)
    wires.set(id, {
      id,
      way,
      share,
      dead: segment.dead,
      moment: joined(known?.moment ?? segment.moment, segment.moment),
      bends,
      arrives: arrives || (known?.arrives ?? false),
    })
  }
  for (const segment of segments) {
    const before: Bend = { column: (segment.at - 1) / 2, side: 'right', y: level(segment.from) }
    const behind: Bend = { column: (segment.at + 1) / 2, side: 'left', y: level(segment.to) }
    // A line that passes a column runs level through it.
    const through: Bend[] = segment.last ? [behind] : [behind, { ...behind, side: 'right' }]
    const arrives = rightwards ? segment.last : segment.first
    const via = segment.joint ?? segment.own
    const middle: Bend = { column: (segment.at - 1) / 2, side: 'between', y: via === null ? 0 : level(via) }
    if (segment.joint === null) {
      const bends = via === null ? [before, ...through] : [before, middle, ...through]
      add(`${segment.from}>${segment.to}`, segment, bends, arrives)
    } else {
      add(`${segment.from}>${segment.joint}`, segment, [before, middle], !rightwards)
      add(`${segment.joint}>${segment.to}`, segment, [middle, behind], rightwards)
    }
  }
  return [...wires.values()]
}
