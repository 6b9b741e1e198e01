import type { ChartSegment } from '../../api/types'
import type { ChartLine } from './chartLayout'

/** What the chart can show on its links besides the links themselves. */
export const LAYERS = { ospf: 'OSPF areas and costs', ospfv3: 'OSPFv3 areas and costs', isis: 'IS-IS levels and metrics' } as const
export type Layer = keyof typeof LAYERS

export function layerOf(text: string | null): Layer | null {
  return text !== null && text in LAYERS ? (text as Layer) : null
}

export type LayerLabel = { x: number; y: number; text: string }

type Point = { x: number; y: number }

/** The point a share of the way along a line. */
export function alongLine(points: Point[], share: number): Point {
  const pieces = points.slice(1).map((end, index) => ({ start: points[index] ?? end, end }))
  const length = ({ start, end }: { start: Point; end: Point }) => Math.hypot(end.x - start.x, end.y - start.y)
  let left = pieces.reduce((sum, piece) => sum + length(piece), 0) * share
  for (const piece of pieces) {
    const own = length(piece)
    if (left <= own && own > 0) {
      const part = left / own
      return { x: piece.start.x + (piece.end.x - piece.start.x) * part, y: piece.start.y + (piece.end.y - piece.start.y) * part }
    }
    left -= own
  }
  return points[points.length - 1] ?? { x: 0, y: 0 }
}

/** The costs at both ends of a line, each near the end that counts it, and the area or level between. */
export function layerLabels(line: ChartLine, layer: Layer): { costs: LayerLabel[]; where: LayerLabel | null } {
  const [from, to] = line.between
  const cost = (device: string | undefined) => {
    const end = line.segment.ends.find((each) => each.device === device)
    return end?.costs.find((each) => each.protocol === layer)
  }
  const costs = [[from, 0.14] as const, [to, 0.86] as const].flatMap(([device, share]) => {
    const found = cost(device)
    return found ? [{ ...alongLine(line.points, share), text: String(found.cost) }] : []
  })
  const places = new Set([cost(from)?.where, cost(to)?.where].filter((where) => where !== undefined))
  const where = places.size ? { ...alongLine(line.points, 0.5), text: [...places].join(' | ') } : null
  return { costs, where }
}

/** Whether anybody on a link speaks the layer's protocol. */
export function inLayer(segment: ChartSegment, layer: Layer): boolean {
  return segment.ends.some((end) => end.costs.some((each) => each.protocol === layer))
}
