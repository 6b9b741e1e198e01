import {
  beside,
  BoxIndex,
  distance,
  grown,
  inside,
  left,
  right,
  top,
  bottom,
  type Box,
  type Point,
} from './geometry'
import type { ChartLink } from './parts'

/** A link as it is drawn, from the middle of one node to that of the other, behind the tiles. */
export type Line = { link: ChartLink; points: Point[] }

/** How far a line keeps from tiles that are not its own, and from the next of the same two nodes. */
const CLEAR = 5
const CORNER = 9
const SIDE_BY_SIDE = 8
const DEEPEST = 7
/** Looks at tiles that one line may cost: in large charts, where nobody follows single lines, few. */
const LOOKS = 400
const FEW_LOOKS = 6
const LARGE = 200
/** Longer lines of a large chart run straight. */
const FOLLOWED = 700
/** How far around a line corners are looked at where going round one tile after the other fails. */
const AROUND = 90

/** Every link as a line that passes behind no tile but its own two; parallel ones side by side. */
export function routeLines(links: ChartLink[], nodes: Map<string, Box>): Line[] {
  const router = new Router(nodes)
  const bundles = new Map<string, ChartLink[]>()
  for (const link of links) {
    const key = [link.from, link.to].sort().join('\n')
    bundles.set(key, [...(bundles.get(key) ?? []), link])
  }
  const lines: Line[] = []
  for (const bundle of bundles.values()) {
    const first = bundle[0]
    if (!first) continue
    bundle.forEach((link, index) => {
      const by = (index - (bundle.length - 1) / 2) * SIDE_BY_SIDE
      // All of a bundle are moved to the same sides, whichever end is named first.
      const same = link.from === first.from
      const points = router.between(first.from, first.to, by)
      lines.push({ link, points: same ? points : [...points].reverse() })
    })
  }
  return lines
}

class Router {
  private readonly index: BoxIndex
  /** How many more looks the present line may cost. */
  private looks = 0

  constructor(private readonly nodes: Map<string, Box>) {
    this.index = new BoxIndex(nodes.values())
  }

  /** The way between two nodes, moved sideways by so much. */
  between(from: string, to: string, by: number): Point[] {
    const [start, end] = [this.nodes.get(from), this.nodes.get(to)]
    if (!start || !end) return []
    const ends: Ends = { start, end }
    const straight = beside([middle(start), middle(end)], by)
    const [a, b] = straight
    if (!a || !b || start === end) return straight
    const isLarge = this.nodes.size > LARGE
    if (isLarge && distance(a, b) > FOLLOWED) return straight
    this.looks = isLarge ? FEW_LOOKS : LOOKS
    const way = this.around(a, b, ends, DEEPEST)
    return way ?? (isLarge ? null : this.byCorners(a, b, ends)) ?? straight
  }

  /** Whether nothing is in the way from a to b. */
  private free(a: Point, b: Point, ends: Ends): boolean {
    return this.first(a, b, ends) === null
  }

  /** The first tile in the way from a to b. */
  private first(a: Point, b: Point, ends: Ends): Box | null {
    let found: Box | null = null
    let at = Infinity
    for (const box of this.index.onWay(a, b)) {
      const passed = inside(a, b, grown(box, CLEAR))
      if (!passed) continue
      // A line leaves its own tile, and comes to the other one, once.
      if (box === ends.start && a === ends.from) continue
      if (box === ends.end && b === ends.to) continue
      if (passed[0] < at) {
        at = passed[0]
        found = box
      }
    }
    return found
  }

  /** Round one tile after the other, at the corner that makes the way shortest. */
  private around(a: Point, b: Point, ends: Ends, depth: number): Point[] | null {
    ends.from ??= a
    ends.to ??= b
    const hit = this.first(a, b, ends)
    if (!hit) return [a, b]
    this.looks -= 1
    if (depth === 0 || this.looks < 0) return null
    const corners = cornersOf(hit).sort(
      (c, d) => distance(a, c) + distance(c, b) - distance(a, d) - distance(d, b),
    )
    for (const corner of corners) {
      if (distance(corner, a) < 1 || distance(corner, b) < 1) continue
      const before = this.around(a, corner, ends, depth - 1)
      if (!before) continue
      const after = this.around(corner, b, ends, depth - 1)
      if (after) return this.shortened([...before, ...after.slice(1)], ends)
    }
    return null
  }

  /** The same way without points that need not be. */
  private shortened(points: Point[], ends: Ends): Point[] {
    const kept = [...points]
    for (let index = 1; index < kept.length - 1;) {
      const [before, after] = [kept[index - 1], kept[index + 1]]
      if (before && after && this.free(before, after, ends)) kept.splice(index, 1)
      else index += 1
    }
    return kept
  }

  /** The shortest way over corners of all tiles near the line. */
  private byCorners(a: Point, b: Point, ends: Ends): Point[] | null {
    for (const reach of [AROUND, 3 * AROUND, 9 * AROUND]) {
      const area = {
        x: (a.x + b.x) / 2,
        y: (a.y + b.y) / 2,
        width: Math.abs(a.x - b.x) + 2 * reach,
        height: Math.abs(a.y - b.y) + 2 * reach,
      }
      const points = [a, b, ...[...this.index.near(area)].flatMap(cornersOf)]
      const way = this.shortest(points, ends)
      if (way) return way
    }
    return null
  }

  /** From the first to the second of some points, over the others (A*). */
  private shortest(points: Point[], ends: Ends): Point[] | null {
    const goal = points[1]
    const costs = points.map(() => Infinity)
    const came = points.map(() => -1)
    const open = new Set([0])
    const closed = new Set<number>()
    costs[0] = 0
    const at = (index: number) => points[index] ?? { x: 0, y: 0 }
    const cost = (index: number) => costs[index] ?? Infinity
    while (open.size && goal) {
      let here = -1
      for (const index of open)
        if (here < 0 || cost(index) + distance(at(index), goal) < cost(here) + distance(at(here), goal))
          here = index
      if (here === 1) break
      open.delete(here)
      closed.add(here)
      for (let there = 1; there < points.length; there += 1) {
        const far = cost(here) + distance(at(here), at(there))
        if (closed.has(there) || far >= cost(there) || !this.free(at(here), at(there), ends)) continue
        costs[there] = far
        came[there] = here
        open.add(there)
      }
    }
    if (cost(1) === Infinity) return null
    const way: Point[] = []
    for (let index = 1; index >= 0; index = came[index] ?? -1) way.unshift(at(index))
    return way
  }
}

/** The tiles of a line, and where it begins in the one and ends in the other. */
type Ends = { start: Box; end: Box; from?: Point; to?: Point }

const middle = (box: Box): Point => ({ x: box.x, y: box.y })

const cornersOf = (box: Box): Point[] => [
  { x: left(box) - CORNER, y: top(box) - CORNER },
  { x: right(box) + CORNER, y: top(box) - CORNER },
  { x: left(box) - CORNER, y: bottom(box) + CORNER },
  { x: right(box) + CORNER, y: bottom(box) + CORNER },
]
