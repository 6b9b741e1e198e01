import {
  useEffect,
  useLayoutEffect,
  useRef,
  useState,
  type CSSProperties,
  type ReactNode,
  type RefObject,
} from 'react'
import type { Direction, FlowDoubt, Verdict } from '../../../api/types'
import type { HopRef } from './graph'
import { HopTile, type TwoWays } from './HopTile'
import { TILE_HEIGHT, type Bend, type Half, type Strip, type Wire } from './layout'
import { VERDICT_WORDS } from '../../../wording'

const GAP = { least: 24, most: 90 }
const TILE = { least: 104, most: 124 }
const EDGE = 6
const TOP = 4
const ARROW = 5

const sameRef = (a: HopRef | null, b: HopRef) =>
  a !== null && a.way === b.way && a.branch === b.branch && a.hop === b.hop

type StripProps = {
  flow: TwoWays
  strip: Strip
  selected: HopRef | null
  onSelect: (ref: HopRef) => void
  onFold: (fold: string) => void
  open: ReadonlySet<string>
  outcome?: FlowDoubt['outcomes'][number] // whose ways these are, where several may come about
  titles?: [string, string] //: of the two halves; left out: forward and return
  aside?: ReactNode //: at the right of its first line
}

/** The width of a strip on paper, in pixels: A4 across, see the page rule of the styles. */
const PAPER = 980

/** Both directions as a drawing: forward above, return below it, the same device in the same column. */
export function StripView({
  flow,
  strip,
  selected,
  onSelect,
  onFold,
  open,
  titles,
  outcome,
  aside,
}: StripProps) {
  const host = useRef<HTMLDivElement>(null)
  const room = useWidth(host)
  const hidden = useHidden(host, strip)
  const fits = Math.floor((room - 2 - 2 * EDGE - (strip.columns - 1) * GAP.least) / strip.columns)
  const tileWidth = Math.max(TILE.least, Math.min(TILE.most, fits)) // nine fit beside the rail at 1280 pixels
  const pitch = Math.max(
    tileWidth + GAP.least,
    Math.min(tileWidth + GAP.most, (room - 2 - 2 * EDGE - tileWidth) / Math.max(1, strip.columns - 1)),
  )
  const width = Math.max(room - 2, 2 * EDGE + (strip.columns - 1) * pitch + tileWidth)
  const sheet: Sheet = { width, pitch, tileWidth, rightwards: true }
  const shared = { flow, selected, onSelect, onFold, open, room }
  const verdict = outcome?.verdict ?? flow.forward.verdict
  return (
    <div className="relative">
      <div
        ref={host}
        className="overflow-x-auto print:[zoom:var(--fit)] print:overflow-visible"
        style={{ '--fit': Math.min(1, PAPER / width) } as CSSProperties}
        data-strip
      >
        <HalfView
          {...shared}
          half={strip.forward}
          direction={flow.forward}
          sheet={sheet}
          title={titles?.[0] ?? 'forward'}
          verdict={verdictWords(flow.forward, verdict)}
          beside={width > room ? 'pr-80' : 'pr-32'}
        />
        <div className="my-2 border-t border-line" style={{ width }} />
        {strip.back && flow.return ? (
          <HalfView
            {...shared}
            half={strip.back}
            direction={flow.return}
            sheet={{ ...sheet, rightwards: strip.alike }}
            title={titles?.[1] ?? 'return'}
            verdict={verdictWords(flow.return, outcome?.return_verdict ?? flow.return.verdict)}
          />
        ) : (
          <p className="text-soft">return: the model does not say where answers would enter</p>
        )}
      </div>
      <div className="absolute top-0 right-0 flex items-center gap-1 bg-card pl-2 text-sm print:hidden">
        {hidden.left > 0 && <Cue side="left" count={hidden.left} pitch={pitch} host={host} />}
        {hidden.right > 0 && <Cue side="right" count={hidden.right} pitch={pitch} host={host} />}
        {aside}
      </div>
    </div>
  )
}

/** A direction's verdict; where entries disagree no branch of one need do so. */
function verdictWords(direction: Direction, verdict: Verdict): string {
  return verdict === 'mixed' && direction.entries.length > 0
    ? 'depends on where it comes in'
    : VERDICT_WORDS[verdict]
}

/** The width of an element, as it changes. */
function useWidth(host: RefObject<HTMLElement | null>): number {
  const [room, setRoom] = useState(800)
  useLayoutEffect(() => {
    const element = host.current
    if (!element) return
    const watch = new ResizeObserver(() => setRoom(element.clientWidth))
    watch.observe(element)
    return () => watch.disconnect()
  }, [host])
  return room
}

/** How many pixels of the strip are out of sight at each side; the chosen tile is brought into sight first. */
function useHidden(host: RefObject<HTMLElement | null>, strip: Strip) {
  const [hidden, setHidden] = useState({ left: 0, right: 0 })
  useEffect(() => {
    const element = host.current
    if (!element) return
    const measure = () => {
      const left = Math.round(element.scrollLeft)
      const right = element.scrollWidth - element.clientWidth - left
      setHidden({ left: left > 8 ? left : 0, right: right > 8 ? right : 0 })
    }
    const chosen = element.querySelector('[aria-pressed=true]')
    if (chosen) {
      const [tile, frame] = [chosen.getBoundingClientRect(), element.getBoundingClientRect()]
      if (tile.right > frame.right) element.scrollBy(tile.right - frame.right + 24, 0)
    }
    measure()
    element.addEventListener('scroll', measure)
    const watch = new ResizeObserver(measure)
    watch.observe(element)
    return () => {
      element.removeEventListener('scroll', measure)
      watch.disconnect()
    }
  }, [host, strip])
  return hidden
}

type CueProps = { side: 'left' | 'right'; count: number; pitch: number; host: RefObject<HTMLElement | null> }

/** Says that the strip goes on beyond the edge, and moves it. */
function Cue({ side, count, pitch, host }: CueProps) {
  const columns = Math.max(1, Math.round(count / pitch))
  const words = `${columns} more ${columns === 1 ? 'column' : 'columns'}`
  return (
    <button
      type="button"
      onClick={() =>
        host.current?.scrollBy({
          left: (side === 'left' ? -1 : 1) * Math.min(count, 4 * pitch),
          behavior: 'smooth',
        })
      }
      className="rounded-tile border border-line bg-card px-2 py-0.5 hover:bg-sunk"
    >
      {side === 'left' ? `← ${words}` : `${words} →`}
    </button>
  )
}

type Sheet = { width: number; pitch: number; tileWidth: number; rightwards: boolean }

type HalfProps = Omit<StripProps, 'strip' | 'outcome' | 'titles' | 'aside'> & {
  half: Half
  direction: Direction
  sheet: Sheet
  room: number
  title: string
  verdict: string
  /** Room that its heading leaves at the right. */
  beside?: string
}

function HalfView({
  half,
  direction,
  sheet,
  room,
  title,
  verdict,
  beside = '',
  flow,
  selected,
  onSelect,
  onFold,
  open,
}: HalfProps) {
  const x = (column: number) => EDGE + column * sheet.pitch
  const opened = [
    ...new Set(half.tiles.flatMap((tile) => (tile.fold && open.has(tile.fold) ? [tile.fold] : []))),
  ]
  return (
    <section aria-label={title} style={{ width: sheet.width }}>
      <div className={`sticky left-0 ${beside}`} style={{ width: Math.max(200, room) }}>
        <p className="text-soft">
          <strong className="text-ink">
            {title}: {verdict}
          </strong>
          . {direction.way}
        </p>
        {direction.entries.length > 0 && <Entries entries={direction.entries} />}
        {opened.map((fold) => (
          <button
            key={fold}
            type="button"
            className="text-sm text-link hover:underline"
            onClick={() => onFold(fold)}
          >
            Fold {half.tiles.filter((tile) => tile.fold === fold).length} that are alike again
          </button>
        ))}
      </div>
      <svg
        width={sheet.width}
        height={half.height + 2 * TOP}
        role="group"
        aria-label={`Hops ${title}`}
        className="mt-1 block"
      >
        <g transform={`translate(0 ${TOP})`}>
          {half.wires.map((wire) => (
            <WireLine key={wire.id} wire={wire} sheet={sheet} x={x} />
          ))}
          {half.tiles.map((tile) => (
            <foreignObject
              key={tile.id}
              x={x(tile.column)}
              y={tile.y - TILE_HEIGHT / 2}
              width={sheet.tileWidth}
              height={TILE_HEIGHT}
              data-tile
            >
              <HopTile
                tile={tile}
                flow={flow}
                selected={tile.refs.some((ref) => sameRef(selected, ref))}
                unfolded={tile.fold !== null && tile.folded.length === 0}
                onSelect={onSelect}
                onFold={onFold}
              />
            </foreignObject>
          ))}
        </g>
      </svg>
    </section>
  )
}

/** Each place where a flow may come in, with what becomes of it from there. */
function Entries({ entries }: { entries: Direction['entries'] }) {
  return (
    <ul className="text-soft">
      {entries.map((entry) => (
        <li key={entry.name}>
          from {entry.name}: <span className="text-ink">{VERDICT_WORDS[entry.verdict]}</span>
        </li>
      ))}
    </ul>
  )
}

type WireProps = { wire: Wire; sheet: Sheet; x: (column: number) => number }

function WireLine({ wire, sheet, x }: WireProps) {
  const at = (bend: Bend) => {
    if (bend.side === 'left') return x(bend.column)
    const edge = x(bend.column) + sheet.tileWidth
    return bend.side === 'right' ? edge : edge + (sheet.pitch - sheet.tileWidth) / 2
  }
  const points = wire.bends.map((bend) => ({ x: at(bend), y: bend.y }))
  // An arrow head stands at the end where the traffic arrives; the line ends where the head begins.
  const head = wire.arrives && !wire.dead ? (sheet.rightwards ? points.at(-1) : points[0]) : undefined
  if (head) {
    const turn = sheet.rightwards ? -ARROW : ARROW
    const index = sheet.rightwards ? points.length - 1 : 0
    points[index] = { x: head.x + turn, y: head.y }
  }
  const width = wire.dead ? 2 : 1.5 + 2.5 * wire.share
  return (
    <g
      className={wire.dead ? 'stroke-line' : wire.moment === 'before' ? 'stroke-soft' : 'stroke-go'}
      data-wire
      data-moment={wire.moment}
    >
      <path
        d={pathOf(points)}
        fill="none"
        strokeWidth={width}
        strokeDasharray={wire.dead ? '3 5' : wire.moment === 'before' ? '7 5' : undefined}
      />
      {head && (
        <path
          stroke="none"
          className={wire.moment === 'before' ? 'fill-soft' : 'fill-go'}
          d={`M${head.x} ${head.y} l${sheet.rightwards ? -ARROW - 2 : ARROW + 2} ${-ARROW + 0.5} v${2 * ARROW - 1} z`}
        />
      )}
    </g>
  )
}

/** Level where it passes a column, a soft bend between two. */
function pathOf(points: { x: number; y: number }[]): string {
  return points
    .map(({ x, y }, index) => {
      const before = points[index - 1]
      if (!before) return `M${x} ${y}`
      if (before.y === y) return `L${x} ${y}`
      const middle = (before.x + x) / 2
      return `C${middle} ${before.y} ${middle} ${y} ${x} ${y}`
    })
    .join(' ')
}
