import { alongLine, beside, bottom, lengthOf, type Box, type Point } from './geometry'
import { lineTexts } from './lineTexts'
import type { ExtraLine, Marks, Tone } from './layers'
import type { FlowPath, Stop, Stretch } from './flowPath'
import { downOf } from './parts'
import type { Line } from './route'
import { FILL } from './Tiles'
import { onPress } from './press'
import type { Level } from './useMapZoom'
import { linkWords } from '../../wording'

const STROKE: Record<Tone, string> = {
  plain: 'stroke-soft',
  good: 'stroke-go',
  warn: 'stroke-warn',
  bad: 'stroke-stop',
}
/** From this zoom on addresses and costs stand at the ends too. */
const CLOSEST = 2.2
/** Lines above which all are one shape while nobody can tell them apart. */
const MANY = 400

const pathOf = (points: Point[]) =>
  points.map((point, index) => `${index ? 'L' : 'M'}${point.x.toFixed(1)} ${point.y.toFixed(1)}`).join('')

type LinkLinesProps = {
  lines: Line[]
  level: Level
  marks: Marks | null
  /** Something else is shown before them. */
  faded: boolean
  selected: number | null
  /** The node whose links the keyboard stops at. */
  beside: string | null
  onSelect: (id: number) => void
}

export function LinkLines({
  lines,
  level,
  marks,
  faded,
  selected,
  beside: active,
  onSelect,
}: LinkLinesProps) {
  if (level === 'sites' && lines.length > MANY) {
    const down = lines.filter((line) => downOf(line.link) > 0)
    return (
      <g aria-hidden className="pointer-events-none" fill="none">
        <path
          d={lines.map((line) => pathOf(line.points)).join('')}
          className="stroke-soft opacity-40"
          strokeWidth={2}
        />
        <path
          d={down.map((line) => pathOf(line.points)).join('')}
          className="stroke-stop"
          strokeWidth={3}
          strokeDasharray="7 6"
        />
      </g>
    )
  }
  return lines.map((line) => {
    const { link } = line
    const mark = marks?.links.get(link.id)
    const back = faded || (marks !== null && mark === undefined)
    return (
      <LinkLine
        key={link.id}
        line={line}
        tone={mark?.tone ?? 'plain'}
        faded={back}
        selected={link.segment.id === selected}
        tabbable={active !== null && (link.from === active || link.to === active)}
        onSelect={() => onSelect(link.segment.id)}
      />
    )
  })
}

type LinkLineProps = {
  line: Line
  tone: Tone
  faded: boolean
  selected: boolean
  tabbable: boolean
  onSelect: () => void
}

function LinkLine({ line, tone, faded, selected, tabbable, onSelect }: LinkLineProps) {
  const { link } = line
  const down = downOf(link) > 0
  const path = pathOf(line.points)
  const words = linkWords(link)
  return (
    <g
      role="button"
      tabIndex={tabbable ? 0 : -1}
      aria-pressed={selected}
      aria-label={words.split('\n')[0]}
      onClick={onSelect}
      onKeyDown={onPress(onSelect)}
      className={`cursor-pointer outline-none [&:focus-visible>.ring]:stroke-focus ${faded && !selected ? 'opacity-25' : ''}`}
    >
      <title>{words}</title>
      <path d={path} fill="none" stroke="transparent" strokeWidth={12} />
      <path
        d={path}
        fill="none"
        className={`ring ${selected ? 'stroke-chosen' : down ? 'stroke-stop' : STROKE[tone]}`}
        strokeWidth={selected ? 4 : Math.min(6, 1.5 + 0.5 * Math.max(1, link.trunk.length))}
        strokeDasharray={down ? '7 6' : undefined}
        strokeLinejoin="round"
      />
      {down && <Cross at={alongLine(line.points, lengthOf(line.points) / 2)} />}
    </g>
  )
}

/** Down is a shape too, not a colour alone. */
function Cross({ at }: { at: Point }) {
  return (
    <path
      d={`M${at.x - 5} ${at.y - 5}l10 10m0 -10l-10 10`}
      className="pointer-events-none stroke-stop"
      strokeWidth={2.5}
      fill="none"
    />
  )
}

type LineEndsProps = {
  lines: Line[]
  nodes: Map<string, Box>
  marks: Marks | null
  level: Level
  scale: number
}

/** What stands at the ends and in the middle of lines: marks of the layer, and near by the interfaces. */
export function LineEnds({ lines, nodes, marks, level, scale }: LineEndsProps) {
  // Near by there is more room, not larger letters.
  const size = 12.5 / Math.max(1, scale)
  const near = level !== 'interfaces' ? 'none' : scale >= CLOSEST ? 'address' : 'interface'
  const texts = lineTexts(lines, nodes, marks, near, size)
  return (
    <g
      aria-hidden
      className="pointer-events-none stroke-paper"
      textAnchor="middle"
      style={{ paintOrder: 'stroke', strokeWidth: size / 2.8, fontSize: size }}
    >
      {texts.map(({ id, x, y, text, tone, bold }) => (
        <text
          key={id}
          x={x}
          y={y + size * 0.36}
          className={`${bold ? 'font-semibold' : ''} ${bold && tone === 'plain' ? 'fill-ink' : FILL[tone]}`}
        >
          {text}
        </text>
      ))}
    </g>
  )
}

/** Lines of a layer besides the links, straight between two tiles. */
export function ExtraLines({ lines, nodes }: { lines: ExtraLine[]; nodes: Map<string, Box> }) {
  return lines.map((line) => {
    const [from, to] = [nodes.get(line.from), nodes.get(line.to)]
    if (!from || !to) return null
    return (
      <g key={line.id}>
        <title>{line.title}</title>
        <path
          d={pathOf([from, to])}
          fill="none"
          className={STROKE[line.tone]}
          strokeWidth={2.5}
          strokeDasharray={line.tone === 'bad' ? '7 6' : undefined}
        />
        {line.tone === 'bad' && <Cross at={{ x: (from.x + to.x) / 2, y: (from.y + to.y) / 2 }} />}
      </g>
    )
  })
}

const PATH_TONE = { go: 'stroke-go', stop: 'stroke-stop', warn: 'stroke-warn' }
const HEAD_TONE = { go: 'fill-go', stop: 'fill-stop', warn: 'fill-warn' }
/** How far beside its link a direction runs, and how much farther that of a second answer. */
const ASIDE = 6
const SECOND = 9

/** A flow, there on one side of the links and back on the other, with an arrow head in the middle; a second one outside it. */
export function PathLines({
  path,
  number,
  lines,
  nodes,
}: {
  path: FlowPath
  /** Which answer of those that are compared, from 0. */
  number: number
  lines: Line[]
  nodes: Map<string, Box>
}) {
  const byId = new Map(lines.map((line) => [line.link.id, line]))
  return (
    <g aria-hidden className="pointer-events-none" fill="none" strokeLinejoin="round">
      {path.stretches.map((stretch) => {
        const points = pointsOf(stretch, byId, nodes)
        if (!points) return null
        const shown = beside(points, ASIDE + SECOND * number)
        const head = alongLine(shown, lengthOf(shown) / 2)
        return (
          <g key={stretch.id}>
            <path
              d={pathOf(shown)}
              className={number > 0 && stretch.tone === 'go' ? 'stroke-chosen' : PATH_TONE[stretch.tone]}
              strokeWidth={2 + 4 * stretch.share}
              strokeDasharray={stretch.back ? '9 4' : undefined}
            />
            <path
              d="M-7 -6L8 0L-7 6Z"
              className={number > 0 && stretch.tone === 'go' ? 'fill-chosen' : HEAD_TONE[stretch.tone]}
              transform={`translate(${head.x} ${head.y}) rotate(${(head.angle * 180) / Math.PI})`}
            />
          </g>
        )
      })}
    </g>
  )
}

function pointsOf(stretch: Stretch, lines: Map<string, Line>, nodes: Map<string, Box>): Point[] | null {
  const line = stretch.link === null ? undefined : lines.get(stretch.link)
  if (line) return line.link.from === stretch.from ? line.points : [...line.points].reverse()
  const [from, to] = [nodes.get(stretch.from), nodes.get(stretch.to)]
  return from && to ? [from, to] : null
}

/** Where a flow stops, and why. */
export function Overlay({
  stops,
  number,
  of,
  nodes,
  scale,
}: {
  stops: Stop[]
  /** Which of so many answers it is about, from 0. */
  number: number
  of: number
  nodes: Map<string, Box>
  scale: number
}) {
  const size = Math.max(13, 12 / scale)
  return stops.map((stop, index) => {
    const box = nodes.get(stop.node)
    if (!box) return null
    const which = of > 1 ? (number === 0 ? 'this flow, ' : 'the other, ') : ''
    const words = `✗ ${which}${stop.back ? 'answers: ' : ''}${stop.words}`
    const width = words.length * size * 0.52 + 14
    return (
      <g key={index} className="pointer-events-none">
        <rect
          x={box.x - width / 2}
          y={bottom(box) + 5 + number * size * 2}
          width={width}
          height={size * 1.7}
          rx={4}
          className="fill-stop-wash stroke-stop"
        />
        <text
          x={box.x}
          y={bottom(box) + 5 + size * 1.2 + number * size * 2}
          textAnchor="middle"
          className="fill-stop font-semibold"
          style={{ fontSize: size }}
        >
          {words}
        </text>
      </g>
    )
  })
}
