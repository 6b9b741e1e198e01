import type { Branch, Direction } from '../../api/types'

/** Which hop a tile stands for: a branch's hop in one direction. */
export type HopRef = { way: 'forward' | 'return'; branch: number; hop: number }

export type Tile = {
  id: string
  device: string
  way: 'forward' | 'return'
  column: number
  row: number
  rows: number //: tiles in this column and direction
  refs: HopRef[]
  stops: boolean //: some branch ends here without arriving
  ghost: boolean //: never reached; shown so that one sees what is missing
}

export type Wire = {
  from: string
  to: string
  way: 'forward' | 'return'
  share: number
  dead: boolean //: leads to what is not reached
  fans: boolean //: one of several ways out of its device
}

/** `alike`: both halves run from left to right, as of two flows that are compared. */
export type Strip = { columns: number; tiles: Tile[]; wires: Wire[]; alike: boolean }

type Ways = { forward: Direction; back: Direction | null }

const names = (branch: Branch) => branch.hops.map((hop) => hop.device)

/**
 * Places the devices of both directions. The same device stands in the same column in both, so that
 * a detour on the way back is seen at once; equal-cost branches share a column and stack up.
 */
export function layoutStrip(flow: { forward: Direction; return: Direction | null }, alike = false): Strip {
  const ways: Ways = { forward: flow.forward, back: flow.return }
  const order = columnOrder(ways, alike)
  const tiles = [
    ...placeWay('forward', ways.forward, order),
    ...(ways.back ? placeWay('return', ways.back, order) : []),
  ]
  const wires = [
    ...wiresOf('forward', ways.forward, tiles),
    ...(ways.back ? wiresOf('return', ways.back, tiles) : []),
  ]
  return { columns: Math.max(0, ...order.values()) + 1, tiles, wires, alike }
}

/** The column of every device, counted from the source. */
export function columnOrder({ forward, back }: Ways, alike = false): Map<string, number> {
  const columns = new Map<string, number>()
  for (const branch of forward.branches) layer(columns, names(branch))
  if (!columns.has(forward.destination.name)) {
    columns.set(forward.destination.name, Math.max(-1, ...columns.values()) + 1)
  }
  for (const branch of back?.branches ?? []) {
    if (alike) layer(columns, names(branch))
    else insertRun(columns, names(branch).reverse())
  }
  if (alike && back && !columns.has(back.destination.name)) {
    columns.set(back.destination.name, Math.max(-1, ...columns.values()) + 1)
  }
  return columns
}

/** Longest-path layering: each device at least one column behind the one before it. */
function layer(columns: Map<string, number>, path: string[]) {
  const seen = new Set<string>()
  let previous = -1
  for (const device of path) {
    if (seen.has(device)) break // a loop comes back; its first place counts
    seen.add(device)
    const known = columns.get(device)
    const wanted = previous + 1
    if (known === undefined) columns.set(device, wanted)
    else if (known < wanted) shift(columns, known, wanted - known)
    previous = columns.get(device) ?? wanted
  }
}

function shift(columns: Map<string, number>, from: number, by: number) {
  for (const [device, column] of columns) if (column >= from) columns.set(device, column + by)
}

/** Fits devices that only the return direction meets between those both meet. */
function insertRun(columns: Map<string, number>, path: string[]) {
  let run: string[] = []
  let left = -1
  const flush = (right: number | null) => {
    if (run.length === 0) return left
    const room = right === null ? Infinity : right - left - 1
    if (room < run.length && right !== null) shift(columns, right, run.length - room)
    run.forEach((device, index) => columns.set(device, left + 1 + index))
    left += run.length
    run = []
    return left
  }
  for (const device of path) {
    const column = columns.get(device)
    if (column === undefined) {
      if (!run.includes(device)) run.push(device)
    } else if (column > left) {
      flush(column)
      left = columns.get(device) ?? column
    }
  }
  if (run.length > 0) {
    // The return direction begins at the right; what nobody else meets is put as far there as it goes.
    left = Math.max(left, Math.max(...columns.values()) - run.length)
    flush(null)
  }
}

function placeWay(way: Tile['way'], direction: Direction, order: Map<string, number>): Tile[] {
  const tiles = new Map<string, Tile>()
  direction.branches.forEach((branch, branchIndex) => {
    branch.hops.forEach((hop, hopIndex) => {
      const id = `${way} ${hop.device}`
      const tile = tiles.get(id) ?? {
        id,
        device: hop.device,
        way,
        column: order.get(hop.device) ?? 0,
        row: 0,
        rows: 1,
        refs: [],
        stops: false,
        ghost: false,
      }
      tile.refs.push({ way, branch: branchIndex, hop: hopIndex })
      const last = hopIndex === branch.hops.length - 1
      tile.stops ||= last && branch.verdict !== 'delivered' && branch.verdict !== 'leaves_network'
      tiles.set(id, tile)
    })
  })
  const goal = direction.destination.name
  if (!tiles.has(`${way} ${goal}`)) {
    const id = `${way} ${goal}`
    tiles.set(id, {
      id,
      device: goal,
      way,
      column: order.get(goal) ?? 0,
      row: 0,
      rows: 1,
      refs: [],
      stops: false,
      ghost: true,
    })
  }
  const byColumn = new Map<number, Tile[]>()
  for (const tile of tiles.values()) byColumn.set(tile.column, [...(byColumn.get(tile.column) ?? []), tile])
  for (const column of byColumn.values()) {
    column.forEach((tile, row) => {
      tile.row = row
      tile.rows = column.length
    })
  }
  return [...tiles.values()]
}

function wiresOf(way: Tile['way'], direction: Direction, tiles: Tile[]): Wire[] {
  const wires = new Map<string, Wire>()
  const add = (from: string, to: string, share: number, dead: boolean) => {
    const key = `${from}>${to}`
    const wire = wires.get(key) ?? {
      from: `${way} ${from}`,
      to: `${way} ${to}`,
      way,
      share: 0,
      dead,
      fans: false,
    }
    wire.share = Math.min(1, wire.share + share) // a loop passes the same wire again
    wires.set(key, wire)
  }
  for (const branch of direction.branches) {
    const path = names(branch)
    path.slice(1).forEach((device, index) => {
      const previous = path[index]
      if (previous !== undefined && previous !== device) add(previous, device, branch.share, false)
    })
  }
  for (const wire of wires.values())
    wire.fans = [...wires.values()].some((other) => other !== wire && other.from === wire.from)
  const ghost = tiles.find((tile) => tile.way === way && tile.ghost)
  if (ghost) {
    for (const tile of tiles) if (tile.way === way && tile.stops) add(tile.device, ghost.device, 0, true)
  }
  return [...wires.values()]
}
