/** Points, boxes and lines of a chart, in its own units: one is a pixel at zoom 1. */

export type Point = { x: number; y: number }
/** A rectangle by its middle. */
export type Box = Point & { width: number; height: number }

export const left = (box: Box) => box.x - box.width / 2
export const right = (box: Box) => box.x + box.width / 2
export const top = (box: Box) => box.y - box.height / 2
export const bottom = (box: Box) => box.y + box.height / 2

export const grown = (box: Box, by: number): Box => ({
  ...box,
  width: box.width + 2 * by,
  height: box.height + 2 * by,
})

/** Whether two boxes share more than an edge, or come nearer than a gap. */
export function overlap(one: Box, other: Box, gap = 0): boolean {
  return (
    Math.abs(one.x - other.x) * 2 < one.width + other.width + 2 * gap - 1e-6 &&
    Math.abs(one.y - other.y) * 2 < one.height + other.height + 2 * gap - 1e-6
  )
}

/** The least box around others; null around nothing. */
export function around(boxes: Iterable<Box>): Box | null {
  let west = Infinity
  let east = -Infinity
  let north = Infinity
  let south = -Infinity
  for (const box of boxes) {
    west = Math.min(west, left(box))
    east = Math.max(east, right(box))
    north = Math.min(north, top(box))
    south = Math.max(south, bottom(box))
  }
  if (west > east) return null
  return { x: (west + east) / 2, y: (north + south) / 2, width: east - west, height: south - north }
}

export const distance = (a: Point, b: Point) => Math.hypot(a.x - b.x, a.y - b.y)

export const lengthOf = (points: Point[]) =>
  points.slice(1).reduce((sum, end, index) => sum + distance(points[index] ?? end, end), 0)

/** Which part of the way from a to b lies inside a box, as shares of the way; null: none. */
export function inside(a: Point, b: Point, box: Box): [number, number] | null {
  let enter = 0
  let leave = 1
  const sides: [number, number, number, number][] = [
    [a.x, b.x - a.x, left(box), right(box)],
    [a.y, b.y - a.y, top(box), bottom(box)],
  ]
  for (const [start, step, low, high] of sides) {
    if (Math.abs(step) < 1e-9) {
      if (start <= low || start >= high) return null
      continue
    }
    const one = (low - start) / step
    const other = (high - start) / step
    enter = Math.max(enter, Math.min(one, other))
    leave = Math.min(leave, Math.max(one, other))
  }
  return leave - enter > 1e-9 ? [enter, leave] : null
}

/** Whether two stretches cross in a point that is an end of neither. */
export function cross(a: Point, b: Point, c: Point, d: Point): boolean {
  const side = (p: Point, q: Point, r: Point) => (q.x - p.x) * (r.y - p.y) - (q.y - p.y) * (r.x - p.x)
  return side(a, b, c) * side(a, b, d) < -1e-6 && side(c, d, a) * side(c, d, b) < -1e-6
}

/** The point so far from a line's beginning, and the direction of the line there. */
export function alongLine(points: Point[], far: number): Point & { angle: number } {
  let rest = far
  let angle = 0
  for (const [index, end] of points.slice(1).entries()) {
    const start = points[index] ?? end
    const own = distance(start, end)
    if (own > 0) {
      angle = Math.atan2(end.y - start.y, end.x - start.x)
      if (rest <= own) {
        const part = Math.max(0, rest) / own
        return { x: start.x + (end.x - start.x) * part, y: start.y + (end.y - start.y) * part, angle }
      }
    }
    rest -= own
  }
  return { ...(points[points.length - 1] ?? { x: 0, y: 0 }), angle }
}

/** A line moved sideways by so much, to the right of its direction. */
export function beside(points: Point[], by: number): Point[] {
  if (by === 0) return points
  return points.map((point, index) => {
    const before = points[Math.max(0, index - 1)] ?? point
    const after = points[Math.min(points.length - 1, index + 1)] ?? point
    const far = distance(before, after) || 1
    return { x: point.x - ((after.y - before.y) / far) * by, y: point.y + ((after.x - before.x) / far) * by }
  })
}

/** Cells in a column of an index; what is farther shares a cell, and is looked at once more. */
const ROWS = 100_003

/** Boxes by where they are, so that few have to be looked at. */
export class BoxIndex {
  private readonly cells = new Map<number, Box[]>()

  constructor(
    boxes: Iterable<Box>,
    private readonly size = 200,
  ) {
    for (const box of boxes) this.add(box)
  }

  add(box: Box) {
    for (const cell of this.cellsOf(left(box), right(box), top(box), bottom(box))) {
      const held = this.cells.get(cell)
      if (held) held.push(box)
      else this.cells.set(cell, [box])
    }
  }

  /** The boxes that may touch a rectangle. */
  near(box: Box): Set<Box> {
    const found = new Set<Box>()
    for (const cell of this.cellsOf(left(box), right(box), top(box), bottom(box)))
      for (const one of this.cells.get(cell) ?? []) found.add(one)
    return found
  }

  /** The boxes that may lie on the way from a to b. */
  onWay(a: Point, b: Point): Set<Box> {
    const found = new Set<Box>()
    const steps = Math.max(1, Math.ceil(distance(a, b) / (this.size / 2)))
    for (let step = 0; step < steps; step += 1) {
      const at = (share: number): Point => ({ x: a.x + (b.x - a.x) * share, y: a.y + (b.y - a.y) * share })
      const [from, to] = [at(step / steps), at((step + 1) / steps)]
      const cells = this.cellsOf(
        Math.min(from.x, to.x),
        Math.max(from.x, to.x),
        Math.min(from.y, to.y),
        Math.max(from.y, to.y),
      )
      for (const cell of cells) for (const one of this.cells.get(cell) ?? []) found.add(one)
    }
    return found
  }

  private *cellsOf(west: number, east: number, north: number, south: number) {
    for (let x = Math.floor(west / this.size); x <= Math.floor(east / this.size); x += 1)
      for (let y = Math.floor(north / this.size); y <= Math.floor(south / this.size); y += 1)
        yield x * ROWS + y
  }
}
