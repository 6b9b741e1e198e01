import { useState, useLayoutEffect, useRef } from 'react'
import type { Flow, FlowDoubt, Hop, Stage } from '../../api/types'
import type { HopRef, Strip, Tile, Wire } from './layout'
import { VERDICT_WORDS, tone } from './verdicts'

const HEIGHT = 58
const GAP = { least: 32, most: 90 }
const ROW = 74
const EDGE = 10

const sameRef = (a: HopRef | null, b: HopRef) =>
  a !== null && a.way === b.way && a.branch === b.branch && a.hop === b.hop

type TwoWays = Pick<Flow, 'forward' | 'return'>

export function hopAt(flow: TwoWays, ref: HopRef): Hop | undefined {
  const direction = ref.way === 'forward' ? flow.forward : flow.return
  return direction?.branches[ref.branch]?.hops[ref.hop]
}

type StripProps = {
  flow: TwoWays
  strip: Strip
  selected: HopRef | null
  onSelect: (ref: HopRef) => void
  outcome?: FlowDoubt['outcomes'][number] // whose ways these are, where several may come about
  titles?: [string, string] //: of the two halves; left out: forward and return
}

/** Both directions as a drawing: forward above the middle band, return below it. */
export function StripView({ flow, strip, selected, onSelect, titles, outcome }: StripProps) {
  const host = useRef<HTMLDivElement>(null)
  const [room, setRoom] = useState(800)
  useLayoutEffect(() => {
    const element = host.current
    if (!element) return
    const watch = new ResizeObserver(() => setRoom(element.clientWidth))
    watch.observe(element)
    return () => watch.disconnect()
  }, [])
  const tileWidth = strip.columns > 7 ? 112 : 122 // eight still fit beside the rail at 1280 pixels
  const pitch = Math.max(
    tileWidth + GAP.least,
    Math.min(tileWidth + GAP.most, (room - 2 * EDGE - tileWidth) / Math.max(1, strip.columns - 1)),
  )
  const rowsOf = (way: Tile['way']) =>
    Math.max(1, ...strip.tiles.filter((t) => t.way === way).map((t) => t.rows))
  const forwardHeight = rowsOf('forward') * ROW
  const band = forwardHeight + 34
  const returnHeight = flow.return ? rowsOf('return') * ROW + 12 : 0
  const height = band + 24 + returnHeight + 10
  const width = Math.max(room - 2, 2 * EDGE + (strip.columns - 1) * pitch + tileWidth)
  const place = (tile: Tile) => {
    const rows = rowsOf(tile.way)
    const top = tile.way === 'forward' ? 24 : band + 30
    return { x: EDGE + tile.column * pitch, y: top + ((rows - tile.rows) / 2 + tile.row) * ROW }
  }
  const byId = new Map(strip.tiles.map((tile) => [tile.id, tile]))
  return (
    <div ref={host} className="overflow-x-auto">
      <svg width={width} height={height} role="group" aria-label="Hops of both directions">
        <WayTitle
          y={14}
          text={`${titles?.[0] ?? 'forward'}: ${VERDICT_WORDS[outcome?.verdict ?? flow.forward.verdict]}`}
        />
        <rect x={0} y={band} width={width} height={1.5} className="fill-line" />
        <WayTitle
          y={band + 18}
          text={
            flow.return
              ? `${titles?.[1] ?? 'return'}: ${VERDICT_WORDS[outcome?.return_verdict ?? flow.return.verdict]}`
              : 'return: the model does not say where answers would enter'
          }
        />
        {strip.wires.map((wire) => {
          const from = byId.get(wire.from)
          const to = byId.get(wire.to)
          return from && to ? (
            <WireLine
              key={`${wire.from}>${wire.to}`}
              wire={wire}
              from={place(from)}
              to={place(to)}
              tileWidth={tileWidth}
              rightwards={wire.way === 'forward' || strip.alike}
            />
          ) : null
        })}
        {strip.tiles.map((tile) => {
          const { x, y } = place(tile)
          return (
            <foreignObject key={tile.id} x={x} y={y} width={tileWidth} height={HEIGHT + 4}>
              <HopTile
                tile={tile}
                flow={flow}
                selected={tile.refs.some((ref) => sameRef(selected, ref))}
                onSelect={onSelect}
              />
            </foreignObject>
          )
        })}
      </svg>
    </div>
  )
}

function WayTitle({ y, text }: { y: number; text: string }) {
  return (
    <text x={EDGE} y={y} className="fill-soft text-[13px]">
      {text}
    </text>
  )
}

type Point = { x: number; y: number }

function WireLine({
  wire,
  from,
  to,
  tileWidth,
  rightwards,
}: {
  wire: Wire
  from: Point
  to: Point
  tileWidth: number
  rightwards: boolean
}) {
  const middle = HEIGHT / 2
  const rightward = to.x >= from.x
  const x1 = from.x + (rightward ? tileWidth : 0)
  const x2 = to.x + (rightward ? 0 : tileWidth)
  const y1 = from.y + middle
  const y2 = to.y + middle
  const bend = (x1 + x2) / 2
  // A loop leads back within one column or to an earlier one; its wire goes round below.
  const back = rightwards ? !rightward : rightward
  const path = back
    ? `M${from.x + tileWidth / 2} ${from.y + HEIGHT} C${from.x + tileWidth / 2} ${from.y + HEIGHT + 24} ${to.x + tileWidth / 2} ${to.y + HEIGHT + 24} ${to.x + tileWidth / 2} ${to.y + HEIGHT + 2}`
    : `M${x1} ${y1} L${bend} ${y1} L${bend} ${y2} L${x2} ${y2}`
  return (
    <g>
      <path
        d={path}
        fill="none"
        className={wire.dead ? 'stroke-line' : back ? 'stroke-stop' : 'stroke-go'}
        strokeWidth={wire.dead ? 2 : 2 + 3 * wire.share}
        strokeDasharray={wire.dead ? '3 5' : back ? '7 4' : undefined}
        strokeLinejoin="round"
      />
      {wire.fans && (
        <text x={(bend + x2) / 2} y={y2 - 6} textAnchor="middle" className="fill-soft text-[12px]">
          {shareWords(wire.share)}
        </text>
      )}
    </g>
  )
}

export function shareWords(share: number): string {
  for (const parts of [2, 3, 4, 5, 6, 8]) {
    const whole = share * parts
    if (Math.abs(whole - Math.round(whole)) < 1e-9) return `${Math.round(whole)}/${parts}`
  }
  return `${(share * 100).toFixed(1)}%`
}

type HopTileProps = { tile: Tile; flow: TwoWays; selected: boolean; onSelect: (ref: HopRef) => void }

/** One device on the strip: its name, where the packet comes in, and a pip for each stage. */
function HopTile({ tile, flow, selected, onSelect }: HopTileProps) {
  // Of several branches the one that stops here tells most.
  const refs = tile.refs
  const ref =
    refs.find((each) => hopAt(flow, each)?.stages.some((stage) => stage.result === 'stopped')) ?? refs[0]
  const hop = ref && hopAt(flow, ref)
  if (!ref || !hop) {
    return (
      <div
        className="h-[58px] rounded-tile border border-dashed border-line px-2 py-1.5 text-soft"
        aria-label={`${tile.device}, not reached`}
      >
        <div className="truncate font-semibold">{tile.device}</div>
        <div className="text-xs">not reached</div>
      </div>
    )
  }
  const direction = ref.way === 'forward' ? flow.forward : flow.return
  const branch = direction?.branches[ref.branch]
  const stopped = tile.stops
  const last = branch && ref.hop === branch.hops.length - 1
  const end = last ? (stopped ? 'stops here' : VERDICT_WORDS[branch.verdict]) : null
  const detail = hop.outside ? 'outside' : (end ?? (hop.in ? `in ${hop.in}` : 'source'))
  return (
    <button
      type="button"
      aria-pressed={selected}
      data-stopped={stopped || undefined}
      onClick={() => onSelect(ref)}
      className={`h-[58px] w-full rounded-tile bg-card text-left hover:bg-sunk ${
        stopped
          ? 'border-2 border-stop px-[7px] py-[3px] aria-pressed:bg-stop-wash'
          : 'border border-line px-2 py-1 aria-pressed:border-chosen aria-pressed:bg-chosen-wash'
      }`}
    >
      <div className="truncate leading-tight font-semibold">{tile.device}</div>
      <div className={`truncate text-xs leading-tight ${stopped ? 'font-semibold text-stop' : 'text-soft'}`}>
        {stopped && branch && tone(branch.verdict) === 'stop' && (
          // Another font draws it, whose line is higher.
          <span aria-hidden className="mr-1 inline-block h-3 align-baseline leading-3">
            ✗
          </span>
        )}
        {detail}
        <span className="sr-only"> {tile.way}</span>
      </div>
      <div className="mt-1.5 flex gap-1" aria-hidden>
        {hop.stages.map((stage, index) => (
          <Pip key={index} stage={stage} />
        ))}
      </div>
    </button>
  )
}

const PIPS: Record<Stage['result'], string> = {
  passed: 'bg-go border-go',
  none: 'border-line bg-transparent',
  stopped: 'bg-stop border-stop rotate-45',
  not_reached: 'border-dashed border-line',
}

function Pip({ stage }: { stage: Stage }) {
  return (
    <span
      title={`${stage.title}: ${stage.text}`}
      className={`inline-block size-2.5 border ${PIPS[stage.result]}`}
    />
  )
}
