import type { ChartSegment } from '../../api/types'
import type { ChartLine } from './chartLayout'

/** What the chart can show on its links besides the links themselves. */
export const LAYERS = {
  ospf: 'OSPF areas and costs',
  ospfv3: 'OSPFv3 areas and costs',
  isis: 'IS-IS levels and metrics',
} as const
export type Layer = keyof typeof LAYERS

export function layerOf(text: string | null): Layer | null {
  return text !== null && text in LAYERS ? (text as Layer) : null
}

export type LayerLabel = { x: number; y: number; text: string }

type Point = { x: number; y: number }

const lineLength = (points: Point[]) =>
  points.slice(1).reduce((sum, end, index) => {
    const start = points[index] ?? end
    return sum + Math.hypot(end.x - start.x, end.y - start.y)
  }, 0)

/** The point so far from a line's beginning. */
export function alongLine(points: Point[], distance: number): Point {
  let left = distance
  for (const [index, end] of points.slice(1).entries()) {
    const start = points[index] ?? end
    const own = Math.hypot(end.x - start.x, end.y - start.y)
    if (left <= own && own > 0) {
      const part = left / own
      return { x: start.x + (end.x - start.x) * part, y: start.y + (end.y - start.y) * part }
    }
    left -= own
  }
  return points[points.length - 1] ?? { x: 0, y: 0 }
}

/** In pixels: how far from its end a cost stands, what both need, and how wide a letter is. */
const FROM_END = 15
const BOTH_ENDS = 64
const LETTER = 6.5

/** The costs at both ends of a line, each near the end that counts it, and the area or level between. */
export function layerLabels(
  line: ChartLine,
  layer: Layer,
): { costs: LayerLabel[]; where: LayerLabel | null } {
  const [from, to] = line.between
  const length = lineLength(line.points)
  const inward = Math.min(FROM_END, length / 4)
  const cost = (device: string) =>
    line.segment.ends.find((each) => each.device === device)?.costs.find((each) => each.protocol === layer)
  const costs = [[from, inward] as const, [to, length - inward] as const].flatMap(([device, distance]) => {
    const found = cost(device)
    return found ? [{ ...alongLine(line.points, distance), text: String(found.cost) }] : []
  })
  const places = [...new Set([cost(from)?.where, cost(to)?.where].filter((where) => where !== undefined))]
  const text = places.join(' | ')
  const where =
    text && length > BOTH_ENDS + LETTER * text.length ? { ...alongLine(line.points, length / 2), text } : null
  return { costs, where }
}

/** Whether anybody on a link speaks the layer's protocol. */
export function inLayer(segment: ChartSegment, layer: Layer): boolean {
  return segment.ends.some((end) => end.costs.some((each) => each.protocol === layer))
}
