import { alongLine, inside, lengthOf, overlap, type Box, type Point } from './geometry'
import type { ChartEnd } from '../../api/types'
import type { Marks, Tone } from './layers'
import type { Line } from './route'

/** What stands on a line: at one of its ends, or in its middle. */
export type LineText = Point & { id: string; text: string; tone: Tone; bold: boolean }

/** How much is told of each end: nothing, its interface, or its address and cost too. */
export type Near = 'none' | 'interface' | 'address'

/** From a tile's edge to what stands at the end of a line, and how far letters of it reach. */
const FROM_TILE = 12
const LETTER = 6.4
/** Lines of which less than this is to be seen have no room for two marks in a row. */
const CLOSE = 42
/** How far a text moves along its line to get out of another's way, and how often. */
const STEP = 13
const STEPS = 8

/**
 * The texts of all lines, at places where they do not lie on each other: what stands at the ends first,
 * moved along its line where need be; what stands in the middle only where there is room.
 */
export function lineTexts(
  lines: Line[],
  nodes: Map<string, Box>,
  marks: Marks | null,
  near: Near,
  size: number,
): LineText[] {
  // Near by letters are smaller in the chart's units, and so is the room that they need.
  const unit = size / 12.5
  const [letter, close] = [LETTER * unit, CLOSE * unit]
  const placed: Box[] = []
  const texts: LineText[] = []
  const boxOf = (at: Point, text: string): Box => ({
    x: at.x,
    y: at.y,
    width: text.length * letter,
    height: size,
  })
  const isFree = (box: Box) => !placed.some((other) => overlap(box, other))
  const put = (at: Point, text: string, more: Omit<LineText, 'x' | 'y' | 'text'>) => {
    placed.push(boxOf(at, text))
    texts.push({ ...at, text, ...more })
  }
  const middles: (() => void)[] = []
  for (const line of lines) {
    const { link, points } = line
    const mark = marks?.links.get(link.id)
    if (!mark && near === 'none') continue
    const length = lengthOf(points)
    const [from, to] = covered(line, nodes)
    const room = length - from - to
    const tone = mark?.tone ?? 'plain'
    const words = link.ends.map((end, index) => {
      const told = index ? mark?.to : mark?.from
      return [told, end ? endWords(end, near) : ''].filter(Boolean).join(' ')
    })
    words.forEach((text, index) => {
      if (!text) return
      const far = Math.min(FROM_TILE * unit + (text.length * letter) / 3, room / 4 + size / 2)
      const candidates = Array.from({ length: room < close ? 1 : STEPS }, (_, step): Point => {
        if (room < close) return asideMiddle(points, from + room / 2, index, text.length * letter, unit)
        const along = Math.min(far + step * STEP * unit, room / 2 - size / 2)
        return alongLine(points, index ? length - to - along : from + along)
      })
      const at = candidates.find((point) => isFree(boxOf(point, text))) ?? candidates[0]
      if (at) put(at, text, { id: `${link.id} ${index}`, tone, bold: true })
    })
    const middle = mark?.middle
    if (!middle || room <= close) continue
    middles.push(() => {
      const at = [0.5, 0.42, 0.58]
        .map((share) => alongLine(points, from + room * share))
        .find((point) => isFree(boxOf(point, middle)))
      if (at) put(at, middle, { id: `${link.id} middle`, tone, bold: false })
    })
  }
  for (const place of middles) place()
  return texts
}

function endWords({ interface: name, addresses, costs }: ChartEnd, near: Near): string {
  if (near === 'none') return ''
  if (near === 'interface') return name
  const [cost] = costs
  return [name, addresses[0], cost && `cost ${cost.cost}`].filter(Boolean).join(' ')
}

/** How much of a line lies behind the tiles at its two ends. */
function covered({ points, link }: Line, nodes: Map<string, Box>): [number, number] {
  const [first, second] = [points[0], points[1]]
  const [last, before] = [points[points.length - 1], points[points.length - 2]]
  const share = (a: Point | undefined, b: Point | undefined, box: Box | undefined) =>
    a && b && box ? (inside(a, b, box)?.[1] ?? 0) * Math.hypot(a.x - b.x, a.y - b.y) : 0
  return [share(first, second, nodes.get(link.from)), share(last, before, nodes.get(link.to))]
}

/** Where there is no room for both one after the other they stand on either side of the line. */
function asideMiddle(points: Point[], far: number, index: number, width: number, unit: number): Point {
  const { x, y, angle } = alongLine(points, far)
  const by = (index ? 1 : -1) * (7 * unit + (Math.abs(Math.sin(angle)) * width) / 2)
  return { x: x - Math.sin(angle) * by, y: y + Math.cos(angle) * by }
}
