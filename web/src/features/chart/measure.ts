import { cross, grown, inside, lengthOf, overlap, type Box } from './geometry'
import type { Line } from './route'

/** How well a chart can be read; what is counted should be little. */
export type Measure = {
  crossings: number
  length: number
  /** Lines that run behind a tile that is not their own. */
  behind: number
  /** Pairs of tiles, and of areas, that lie on each other. */
  overlaps: number
}

export function measure(nodes: Map<string, Box>, areas: Map<string, Box>, lines: Line[]): Measure {
  let behind = 0
  for (const { link, points } of lines) {
    for (const [id, box] of nodes) {
      if (id === link.from || id === link.to) continue
      if (points.slice(1).some((end, at) => inside(points[at] ?? end, end, grown(box, -1)))) behind += 1
    }
  }
  return {
    crossings: crossings(lines),
    length: Math.round(lines.reduce((sum, line) => sum + lengthOf(line.points), 0)),
    behind,
    overlaps: pairs([...nodes.values()]) + pairs([...areas.values()]),
  }
}

/** Pairs of lines that cross, but for those that share a node. */
export function crossings(lines: Line[]): number {
  let count = 0
  for (const [index, one] of lines.entries()) {
    for (const other of lines.slice(index + 1)) {
      const { from, to } = other.link
      const shared =
        one.link.from === from || one.link.from === to || one.link.to === from || one.link.to === to
      if (!shared && meet(one, other)) count += 1
    }
  }
  return count
}

const meet = (one: Line, other: Line) =>
  one.points.slice(1).some((b, at) => {
    const a = one.points[at] ?? b
    return other.points.slice(1).some((d, index) => cross(a, b, other.points[index] ?? d, d))
  })

const pairs = (boxes: Box[]) =>
  boxes.reduce(
    (sum, one, index) => sum + boxes.slice(index + 1).filter((other) => overlap(one, other)).length,
    0,
  )
