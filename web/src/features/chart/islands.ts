import { distance, overlap, type Box, type Point } from './geometry'

/** The area of a group while places are looked for. */
export type Island = Box & {
  name: string
  /** Where people have put it, or where it was before. */
  fixed: boolean
  /** By the name of another group: how many links lead there. */
  linked: Map<string, number>
}

/** How much wider than high the whole is wanted. */
const WIDER = 1.3
const GOLDEN_ANGLE = Math.PI * (3 - Math.sqrt(5))

/**
 * Gives islands that are not fixed a first place: those that are linked near each other, the others
 * as far apart as there are groups between them (stress majorization over shortest paths).
 */
export function spread(islands: Island[], hints: Record<string, Point> = {}, variant = 0) {
  const count = islands.length
  const far = wanted(islands)
  const order = outward(islands)
  const room = Math.sqrt(islands.reduce((sum, one) => sum + one.width * one.height, 0) / Math.max(1, count))
  order.forEach((at, rank) => {
    const island = islands[at]
    const hint = island && hints[island.name]
    if (!island || island.fixed) return
    const radius = room * 0.9 * Math.sqrt(rank + 0.5)
    island.x = hint ? hint.x : radius * Math.cos(rank * GOLDEN_ANGLE + variant)
    island.y = hint ? hint.y : (variant % 2 ? -radius : radius) * Math.sin(rank * GOLDEN_ANGLE + variant)
  })
  if (islands.some((island) => hints[island.name])) scaled(islands, hints, room)
  const rounds = Math.min(200, Math.ceil(8_000_000 / Math.max(1, count * count)))
  for (let round = 0; round < rounds; round += 1) {
    for (const [i, island] of islands.entries()) {
      if (island.fixed || hints[island.name]) continue
      let x = 0
      let y = 0
      let weight = 0
      for (const [j, other] of islands.entries()) {
        if (i === j) continue
        const ideal = far[i]?.[j] ?? 1
        const now = Math.max(1, distance(island, other))
        const own = 1 / (ideal * ideal)
        x += own * (other.x + (ideal * (island.x - other.x)) / now)
        y += own * (other.y + (ideal * (island.y - other.y)) / now)
        weight += own
      }
      if (weight === 0) continue
      island.x = x / weight
      island.y = y / weight
    }
  }
  if (!islands.some((island) => island.fixed || hints[island.name])) wider(islands)
}

/** Stated places are in free units: they are drawn so far apart that groups have room. */
function scaled(islands: Island[], hints: Record<string, Point>, room: number) {
  const stated = islands.filter((island) => hints[island.name])
  let nearest = Infinity
  for (const one of stated)
    for (const other of stated)
      if (one !== other) nearest = Math.min(nearest, distance(one, other) || Infinity)
  const scale = Number.isFinite(nearest) ? (room * 1.4) / nearest : 1
  for (const island of stated) {
    if (island.fixed) continue
    island.x *= scale
    island.y *= scale
  }
}

/** The whole lies on its broader side. */
function wider(islands: Island[]) {
  const width = range(islands.map((island) => island.x))
  const height = range(islands.map((island) => island.y))
  if (height > width) {
    for (const island of islands) [island.x, island.y] = [-island.y, island.x]
  }
  for (const island of islands) island.x *= WIDER
}

const range = (values: number[]) => (values.length ? Math.max(...values) - Math.min(...values) : 0)

/** How far apart each two are wanted: the way between them over groups, each as large as it is. */
function wanted(islands: Island[]): number[][] {
  const at = new Map(islands.map((island, index) => [island.name, index]))
  const size = (island: Island) => (island.width + island.height) / 4 + 20
  const next = islands.map((island) =>
    [...island.linked.keys()].flatMap((name) => {
      const index = at.get(name)
      return index === undefined ? [] : [index]
    }),
  )
  const apartAt = Math.max(400, ...islands.map((island) => 4 * size(island)))
  return islands.map((_, start) => {
    const far = islands.map(() => Infinity)
    far[start] = 0
    const pending = [start]
    for (let head = 0; head < pending.length; head += 1) {
      const here = pending[head] ?? 0
      for (const there of next[here] ?? []) {
        const [one, other] = [islands[here], islands[there]]
        if (!one || !other) continue
        const way = (far[here] ?? 0) + size(one) + size(other)
        if (way < (far[there] ?? Infinity) - 1e-6) {
          far[there] = way
          pending.push(there)
        }
      }
    }
    return far.map((value) => (Number.isFinite(value) ? value : apartAt))
  })
}

/** The islands' positions in the list, from the one with most links outward. */
function outward(islands: Island[]): number[] {
  const links = (island: Island) => [...island.linked.values()].reduce((sum, count) => sum + count, 0)
  const at = new Map(islands.map((island, index) => [island.name, index]))
  const rest = islands
    .map((_, index) => index)
    .sort((a, b) => {
      const [one, other] = [islands[a], islands[b]]
      if (!one || !other) return 0
      return links(other) - links(one) || (one.name < other.name ? -1 : 1)
    })
  const seen = new Set<number>()
  const order: number[] = []
  for (const start of rest) {
    if (seen.has(start)) continue
    seen.add(start)
    const pending = [start]
    for (let head = 0; head < pending.length; head += 1) {
      const here = pending[head] ?? start
      order.push(here)
      const next = [...(islands[here]?.linked ?? [])].sort(([a, m], [b, n]) => n - m || (a < b ? -1 : 1))
      for (const [name] of next) {
        const there = at.get(name)
        if (there === undefined || seen.has(there)) continue
        seen.add(there)
        pending.push(there)
      }
    }
  }
  return order
}

/** Moves islands until none touches another; those that are fixed stay. */
export function apart(islands: Island[], gap: number) {
  const rounds = Math.min(400, Math.ceil(20_000_000 / Math.max(1, islands.length ** 2)))
  for (let round = 0; round < rounds; round += 1) {
    let touched = false
    for (const [index, one] of islands.entries()) {
      for (const other of islands.slice(index + 1)) {
        if (!overlap(one, other, gap / 2) || (one.fixed && other.fixed)) continue
        touched = true
        push(one, other, gap)
      }
    }
    if (!touched) return
  }
  // What still touches looks for the nearest free place, one after the other.
  const placed = islands.filter((island) => island.fixed)
  for (const island of islands.filter((one) => !one.fixed)) {
    const at = freeNear(island, placed, gap)
    island.x = at.x
    island.y = at.y
    placed.push(island)
  }
}

function push(one: Island, other: Island, gap: number) {
  const across = (one.width + other.width) / 2 + gap - Math.abs(one.x - other.x)
  const down = (one.height + other.height) / 2 + gap - Math.abs(one.y - other.y)
  const share = one.fixed ? 0 : other.fixed ? 1 : 0.5
  if (across < down) {
    const by = (one.x < other.x ? -1 : 1) * (across + 0.1)
    one.x += by * share
    other.x -= by * (1 - share)
  } else {
    const by = (one.y < other.y ? -1 : 1) * (down + 0.1)
    one.y += by * share
    other.y -= by * (1 - share)
  }
}

/** The nearest middle at which a box touches none of the others, looked for in growing rings. */
export function freeNear(box: Box, others: Box[], gap: number): Point {
  const free = (at: Point) => others.every((other) => !overlap({ ...box, ...at }, other, gap / 2))
  if (free(box)) return { x: box.x, y: box.y }
  for (let ring = 1; ; ring += 1) {
    const radius = ring * 24
    const steps = Math.max(8, ring * 6)
    for (let step = 0; step < steps; step += 1) {
      const angle = (step / steps) * 2 * Math.PI
      const at = { x: box.x + radius * Math.cos(angle) * WIDER, y: box.y + radius * Math.sin(angle) }
      if (free(at)) return at
    }
  }
}

/** Draws islands together, towards what they are linked with and the middle, as far as there is room. */
export function packed(islands: Island[], gap: number) {
  const at = new Map(islands.map((island) => [island.name, island]))
  const rounds = Math.min(80, Math.ceil(3_000_000 / Math.max(1, islands.length ** 2)))
  for (let round = 0; round < rounds; round += 1) {
    const middle = {
      x: islands.reduce((sum, one) => sum + one.x, 0) / Math.max(1, islands.length),
      y: islands.reduce((sum, one) => sum + one.y, 0) / Math.max(1, islands.length),
    }
    let moved = false
    const inward = [...islands].sort((a, b) => distance(a, middle) - distance(b, middle))
    for (const island of inward) {
      if (island.fixed) continue
      const goal = { x: middle.x, y: middle.y }
      let weight = 1
      for (const [name, count] of island.linked) {
        const other = at.get(name)
        if (!other) continue
        goal.x += other.x * count
        goal.y += other.y * count
        weight += count
      }
      const step = { x: goal.x / weight - island.x, y: goal.y / weight - island.y }
      for (const [dx, dy] of [
        [step.x, step.y],
        [step.x, 0],
        [0, step.y],
      ] as const) {
        if (moveBy(island, dx, dy, islands, gap)) moved = true
      }
    }
    if (!moved) return
  }
}

/** Moves an island by the largest share of a step that leaves it free; whether there was one. */
function moveBy(island: Island, dx: number, dy: number, islands: Island[], gap: number): boolean {
  for (const share of [0.5, 0.2, 0.08, 0.03]) {
    const at = { ...island, x: island.x + dx * share, y: island.y + dy * share }
    if (Math.hypot(dx, dy) * share < 2) return false
    if (islands.every((other) => other === island || !overlap(at, other, gap / 2))) {
      island.x = at.x
      island.y = at.y
      return true
    }
  }
  return false
}
