import { forceLink, forceManyBody, forceSimulation, forceX, forceY, type SimulationNodeDatum } from 'd3-force'
import { around, distance, overlap, type Box, type Point } from './geometry'
import { linkedWith, type ChartNode, type ChartParts } from './parts'
import { apart, packed, spread, type Island } from './islands'

/** Where the middles of nodes are, by their ids. */
export type Places = Record<string, Point>
export type Placement = { nodes: Map<string, Box>; groups: Map<string, Box> }

/** Room between tiles, around those of a group, above them for its name, and between groups. */
const GAP = { x: 24, y: 26 }
const PADDING = 14
const TITLE = 22
const BETWEEN = 34
/** How much wider than high a group is wanted. */
const ASPECT = 1.7
/** Groups up to so many nodes try every exchange of two places, larger ones only near ones. */
const FEW = 40
const ROUNDS = 3
/** Charts of more nodes are not worked over that often. */
const LARGE = 400
/** Room that groups keep where one has grown. */
const NARROW = 10
/** What it costs that a new node makes a group move aside, in pixels of its lines. */
const PUSHED = 150
/** What it costs that a line runs behind a tile, in pixels of its length. */
const BEHIND = 80

/** The area of a group: its tiles, room around them, and above for its name. */
export function areaOf(boxes: Iterable<Box>): Box {
  const box = around(boxes) ?? { x: 0, y: 0, width: 0, height: 0 }
  return {
    x: box.x,
    y: box.y - TITLE / 2,
    width: box.width + 2 * PADDING,
    height: box.height + 2 * PADDING + TITLE,
  }
}

/**
 * A place for every node. What has one already keeps it; what is new comes near what it is linked
 * with, a group of its own where nothing else is.
 *
 * @param variant which of several starts to take
 * @param hints middles of groups that the network's author stated, in free units; a start only
 */
export function place(parts: ChartParts, known: Places, hints: Places = {}, variant = 0): Placement {
  const members = new Map<string, ChartNode[]>([...parts.groups.keys()].map((name) => [name, []]))
  for (const node of parts.nodes) members.get(node.group)?.push(node)
  const nodes = new Map<string, Box>()
  for (const node of parts.nodes) {
    const at = known[node.id]
    if (at) nodes.set(node.id, boxAt(node, at))
  }
  const lines = linkedWith(parts.links)
  const fresh = [...members].filter(([, held]) => held.length && held.every((node) => !nodes.has(node.id)))
  if (fresh.length) placeGroups(parts, members, new Map(fresh), nodes, lines, hints, variant)
  for (const [name, held] of members) {
    for (const node of held)
      if (!nodes.has(node.id)) nodes.set(node.id, nearby(node, name, members, nodes, lines))
  }
  const groups = areasOf(parts, nodes)
  if (makeRoom(groups, members, nodes)) return { nodes, groups: areasOf(parts, nodes) }
  return { nodes, groups }
}

/** The areas of all groups that have nodes. */
export function areasOf(parts: ChartParts, nodes: Map<string, Box>): Map<string, Box> {
  const boxes = new Map<string, Box[]>([...parts.groups.keys()].map((name) => [name, []]))
  for (const { id, group } of parts.nodes) boxes.get(group)?.push(get(nodes, id))
  return new Map([...boxes].flatMap(([name, held]) => (held.length ? [[name, areaOf(held)] as const] : [])))
}

/** Where a group has grown into another both move aside, as a whole and no more than need be; whether any did. */
function makeRoom(
  groups: Map<string, Box>,
  members: Map<string, ChartNode[]>,
  nodes: Map<string, Box>,
): boolean {
  const islands = [...groups].map(([name, area]): Island => ({
    ...area,
    name,
    fixed: false,
    linked: new Map(),
  }))
  const before = islands.map(({ x, y }) => ({ x, y }))
  apart(islands, NARROW)
  let moved = false
  for (const [index, island] of islands.entries()) {
    const was = before[index] ?? island
    const by = { x: island.x - was.x, y: island.y - was.y }
    if (by.x === 0 && by.y === 0) continue
    moved = true
    for (const node of members.get(island.name) ?? []) {
      const box = get(nodes, node.id)
      nodes.set(node.id, { ...box, x: box.x + by.x, y: box.y + by.y })
    }
  }
  return moved
}

const boxAt = (node: ChartNode, at: Point): Box => ({ ...at, width: node.width, height: node.height })

function get<Value>(map: Map<string, Value>, key: string): Value {
  const value = map.get(key)
  if (value === undefined) throw new Error(`${key} has no place`)
  return value
}

// --- new groups --------------------------------------------------------------------------------

type Grid = { columns: number; cell: { width: number; height: number }; order: ChartNode[] }

/** New groups among those that have a place, and their nodes in rows and columns. */
function placeGroups(
  parts: ChartParts,
  members: Map<string, ChartNode[]>,
  fresh: Map<string, ChartNode[]>,
  nodes: Map<string, Box>,
  lines: Map<string, string[]>,
  hints: Places,
  variant: number,
) {
  const groupOf = new Map(parts.nodes.map((node) => [node.id, node.group]))
  const grids = new Map<string, Grid>()
  const islands = new Map<string, Island>()
  for (const [name, held] of members) {
    if (!held.length) continue
    const linked = new Map<string, number>()
    for (const node of held) {
      for (const other of lines.get(node.id) ?? []) {
        const group = groupOf.get(other) ?? name
        if (group !== name) linked.set(group, (linked.get(group) ?? 0) + 1)
      }
    }
    if (fresh.has(name)) {
      const grid = gridOf(held, lines)
      grids.set(name, grid)
      const size = areaOf(slots(grid, { x: 0, y: 0 }).map((at) => ({ ...at, ...grid.cell })))
      const width = size.width - GAP.x
      islands.set(name, { name, x: 0, y: 0, width, height: size.height - GAP.y, fixed: false, linked })
    } else {
      const placed = held.flatMap((node) => nodes.get(node.id) ?? [])
      islands.set(name, { name, ...areaOf(placed), fixed: true, linked })
    }
  }
  const all = [...islands.values()]
  spread(all, hints, variant)
  apart(all, BETWEEN)
  packed(all, BETWEEN)
  const middles = new Map<string, Point[]>()
  for (const [name, grid] of grids) {
    const island = get(islands, name)
    // The middle of the tiles is below that of the area, which has the name above them.
    const at = slots(grid, { x: island.x, y: island.y + TITLE / 2 })
    middles.set(name, at)
    grid.order.forEach((node, index) => nodes.set(node.id, boxAt(node, at[index] ?? island)))
  }
  for (let round = 0; round < (nodes.size > LARGE ? 1 : ROUNDS); round += 1) {
    for (const [name, grid] of grids) exchange(grid, middles.get(name) ?? [], nodes, lines)
  }
}

/** Rows and columns for the nodes of a group, near the aspect that is wanted. */
function gridOf(held: ChartNode[], lines: Map<string, string[]>): Grid {
  const width = Math.max(...held.map((node) => node.width)) + GAP.x
  const height = Math.max(...held.map((node) => node.height)) + GAP.y
  const columns = Math.max(1, Math.round(Math.sqrt((held.length * height * ASPECT) / width)))
  const sorted = [...held].sort((a, b) => (a.name < b.name ? -1 : 1))
  return {
    columns: Math.min(columns, held.length),
    cell: { width, height },
    order: held.length > 12 ? drawn(sorted, columns, lines) : sorted,
  }
}

/** The middles of a grid's places around a point, row by row; a last row that is not full is centred. */
function slots({ columns, cell, order }: Grid, middle: Point): Point[] {
  const rows = Math.ceil(order.length / columns)
  return order.map((_, index) => {
    const row = Math.floor(index / columns)
    const inRow = Math.min(columns, order.length - row * columns)
    return {
      x: middle.x + ((index % columns) - (inRow - 1) / 2) * cell.width,
      y: middle.y + (row - (rows - 1) / 2) * cell.height,
    }
  })
}

type Drawn = SimulationNodeDatum & { node: ChartNode }

/** Many nodes in the order of a free drawing of their links, cut into rows. */
function drawn(held: ChartNode[], columns: number, lines: Map<string, string[]>): ChartNode[] {
  const items: Drawn[] = held.map((node) => ({ node }))
  const at = new Map(items.map((item) => [item.node.id, item]))
  const links = items.flatMap((source) =>
    (lines.get(source.node.id) ?? []).flatMap((other) => {
      const target = at.get(other)
      return target && source.node.id < other ? [{ source, target }] : []
    }),
  )
  const room = Math.sqrt(held.length) * 30
  forceSimulation(items)
    .force('links', forceLink(links).distance(40))
    .force('apart', forceManyBody().strength(-60).distanceMax(room))
    .force('x', forceX(0).strength(0.05))
    .force('y', forceY(0).strength(0.08))
    .stop()
    .tick(held.length > 400 ? 90 : 200)
  items.sort((a, b) => (a.y ?? 0) - (b.y ?? 0))
  const rows: Drawn[][] = []
  for (let row = 0; row * columns < items.length; row += 1) {
    const inRow = items.slice(row * columns, (row + 1) * columns)
    rows.push(inRow.sort((a, b) => (a.x ?? 0) - (b.x ?? 0)))
  }
  return rows.flat().map((item) => item.node)
}

/** Exchanges the places of two nodes while that makes lines shorter, or frees one from a tile. */
function exchange(grid: Grid, places: Point[], nodes: Map<string, Box>, lines: Map<string, string[]>) {
  const { order, columns, cell } = grid
  const inside = new Set(order.map((node) => node.id))
  const cost = (node: ChartNode, at: Point): number => {
    let sum = 0
    for (const other of lines.get(node.id) ?? []) {
      if (other === node.id) continue
      const there = get(nodes, other)
      sum += distance(at, there)
      if (!inside.has(other)) continue
      const across = Math.abs(at.x - there.x) / cell.width
      const down = Math.abs(at.y - there.y) / cell.height
      if (down < 0.1 && across > 1.1) sum += BEHIND * (across - 1)
      if (across < 0.1 && down > 1.1) sum += BEHIND * (down - 1)
    }
    return sum
  }
  const put = (index: number, node: ChartNode) => {
    order[index] = node
    nodes.set(node.id, boxAt(node, places[index] ?? { x: 0, y: 0 }))
  }
  const few = order.length <= FEW
  for (let pass = 0; pass < (nodes.size > LARGE ? 3 : few ? 12 : 4); pass += 1) {
    let better = false
    for (let one = 0; one < order.length; one += 1) {
      const last = few ? order.length - 1 : Math.min(order.length - 1, one + 2 * columns + 2)
      for (let other = one + 1; other <= last; other += 1) {
        if (!few && !nearIn(one, other, columns)) continue
        const [a, b] = [order[one], order[other]]
        const [here, there] = [places[one], places[other]]
        if (!a || !b || !here || !there) continue
        const before = cost(a, here) + cost(b, there)
        put(one, b)
        put(other, a)
        if (cost(b, here) + cost(a, there) < before - 0.5) {
          better = true
        } else {
          put(one, a)
          put(other, b)
        }
      }
    }
    if (!better) break
  }
}

const nearIn = (one: number, other: number, columns: number) =>
  Math.abs((one % columns) - (other % columns)) <= 2 &&
  Math.abs(Math.floor(one / columns) - Math.floor(other / columns)) <= 2

// --- new nodes in a group that has a place -------------------------------------------------------

/** A free place for a new node: in its group's rows and columns, as near as can be to what it is linked with. */
function nearby(
  node: ChartNode,
  group: string,
  members: Map<string, ChartNode[]>,
  nodes: Map<string, Box>,
  lines: Map<string, string[]>,
): Box {
  const held = (members.get(group) ?? []).flatMap((other) => nodes.get(other.id) ?? [])
  const others = [...members]
    .filter(([name]) => name !== group)
    .map(([, nodesOf]) => nodesOf.flatMap((other) => nodes.get(other.id) ?? []))
    .filter((boxes) => boxes.length)
    .map(areaOf)
  const linked = (lines.get(node.id) ?? []).flatMap((other) => nodes.get(other) ?? [])
  const anchor = held[0] ?? linked[0] ?? { x: 0, y: 0, width: 0, height: 0 }
  const area = areaOf(held)
  const step = { x: node.width / 2 + GAP.x / 2, y: (node.height + GAP.y) / 2 }
  let best: Box | null = null
  let least = Infinity
  for (let reach = 4; best === null; reach *= 2) {
    for (let across = -reach; across <= reach; across += 1) {
      for (let down = -reach; down <= reach; down += 1) {
        const box = boxAt(node, { x: anchor.x + across * step.x, y: anchor.y + down * step.y })
        if (held.some((other) => overlap(box, other, 10))) continue
        const grownArea = areaOf([...held, box])
        const pushes = others.filter((other) => overlap(grownArea, other)).length
        const grows = grownArea.width * grownArea.height - area.width * area.height
        const far = linked.reduce((sum, other) => sum + distance(box, other), 0)
        const cost = far + distance(box, area) / 4 + grows / 200 + PUSHED * pushes
        if (cost < least) {
          least = cost
          best = box
        }
      }
    }
  }
  return best
}
