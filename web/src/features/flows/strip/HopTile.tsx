import type { Flow, Hop, Stage } from '../../../api/types'
import { tone } from '../verdicts'
import type { HopRef } from './graph'
import type { Tile } from './layout'
import { hereWords, shareWords } from '../../../wording'

export type TwoWays = Pick<Flow, 'forward' | 'return'>

export function hopAt(flow: TwoWays, ref: HopRef): Hop | undefined {
  const direction = ref.way === 'forward' ? flow.forward : flow.return
  return direction?.branches[ref.branch]?.hops[ref.hop]
}

type HopTileProps = {
  tile: Tile
  flow: TwoWays
  selected: boolean
  /** Whether the tile is one of a fold that is shown one by one. */
  unfolded: boolean
  onSelect: (ref: HopRef) => void
  onFold: (fold: string) => void
}

/** One device on the strip: its name, what it did that tells most, a pip for each stage, its share. */
export function HopTile({ tile, flow, selected, unfolded, onSelect, onFold }: HopTileProps) {
  // Of several branches the one that stops here tells most.
  const refs = tile.refs
  const ref =
    refs.find((each) => hopAt(flow, each)?.stages.some((stage) => stage.result === 'stopped')) ?? refs[0]
  const hop = ref && hopAt(flow, ref)
  if (!ref || !hop) {
    return (
      <div
        className="h-[60px] rounded-tile border border-dashed border-line px-2 py-1.5 text-soft"
        aria-label={`${tile.device}, not reached`}
        title={tile.device}
      >
        <div className="font-semibold">
          <DeviceName name={tile.device} />
        </div>
        <div className="text-xs">not reached</div>
      </div>
    )
  }
  if (tile.folded.length > 0 && tile.fold !== null) {
    const fold = tile.fold
    return (
      <button
        type="button"
        onClick={() => onFold(fold)}
        title={tile.folded.join(', ')}
        aria-expanded={false}
        className="h-[60px] w-full rounded-tile border-2 border-double border-line bg-card px-2 py-1 text-left hover:bg-sunk"
      >
        <div className="truncate leading-tight font-semibold">{tile.folded.length} alike</div>
        <div className="truncate text-xs leading-tight text-soft">
          {tile.folded[0]} … {tile.folded.at(-1)}
          <span className="sr-only"> {tile.way}, show each</span>
        </div>
        <div className="mt-0.5 text-right text-xs text-soft">
          {tile.share !== null && `${shareWords(tile.share)} each`}
        </div>
      </button>
    )
  }
  const direction = ref.way === 'forward' ? flow.forward : flow.return
  const branch = direction?.branches[ref.branch]
  const stopped = tile.stops
  const last = branch && ref.hop === branch.hops.length - 1
  const end = last ? hereWords(branch.verdict, stopped) : null
  const { words, telling } = detailOf(hop, end, tile.again)
  return (
    <button
      type="button"
      aria-pressed={selected}
      data-stopped={stopped || undefined}
      title={`${tile.device}: ${words}`}
      onClick={() => onSelect(ref)}
      className={`relative h-[60px] w-full rounded-tile bg-card text-left hover:bg-sunk ${
        stopped
          ? 'border-2 border-stop px-[7px] py-[3px] aria-pressed:bg-stop-wash'
          : `border px-2 py-1 aria-pressed:border-chosen aria-pressed:bg-chosen-wash ${MOMENT_LOOK[tile.moment]}`
      }`}
    >
      <div className="leading-tight font-semibold">
        <DeviceName name={tile.device} />
      </div>
      {tile.moment !== 'both' && (
        <span className="absolute right-1 bottom-0.5 text-xs leading-none font-semibold text-soft">
          {tile.moment === 'now' ? 'new' : 'before'}
        </span>
      )}
      <div
        className={`truncate text-xs leading-tight ${
          stopped ? 'font-semibold text-stop' : telling ? 'font-semibold text-ink' : 'text-soft'
        }`}
      >
        {stopped && branch && tone(branch.verdict) === 'stop' && (
          // Another font draws it, whose line is higher.
          <span aria-hidden className="mr-1 inline-block h-3 align-baseline leading-3">
            ✗
          </span>
        )}
        {words}
        <span className="sr-only"> {tile.way}</span>
      </div>
      <div className="mt-1.5 flex items-center gap-[3px]">
        {hop.stages.map((stage, index) => (
          <Pip key={index} stage={stage} />
        ))}
        {tile.share !== null && tile.share < 1 && (
          <span className="ml-auto text-xs leading-none text-soft">{shareWords(tile.share)}</span>
        )}
      </div>
      {unfolded && <span className="sr-only">one of several that are alike</span>}
    </button>
  )
}

/** Where two lenses are drawn: what is on the way in both, only now, or only before. */
const MOMENT_LOOK: Record<Tile['moment'], string> = {
  both: 'border-line',
  now: 'border-go',
  before: 'border-dashed border-edge text-soft',
}

/** Names so long are cut in their middle: those of one network often begin alike. */
const LONG = 15
const KEPT_END = 6

function DeviceName({ name }: { name: string }) {
  if (name.length <= LONG) return <span className="block truncate">{name}</span>
  return (
    <span className="flex">
      <span className="truncate">{name.slice(0, -KEPT_END)}</span>
      <span className="shrink-0">{name.slice(-KEPT_END)}</span>
    </span>
  )
}

/** The second line of a tile: how it ends here, what is unusual, else what matched. */
function detailOf(hop: Hop, end: string | null, again: number): { words: string; telling?: boolean } {
  if (end) return { words: end }
  if (hop.outside) return { words: 'outside' }
  if (again > 0)
    return { words: again === 1 ? 'a second time' : `for the ${again + 1}th time`, telling: true }
  if (hop.unusual) return { words: hop.unusual, telling: true }
  const matched = matchedBy(hop)
  if (matched) return { words: matched }
  return { words: hop.in ? `in ${hop.in}` : 'source' }
}

/** The prefix that decided at a hop; null where it looked up none. */
export function matchedBy(hop: Hop): string | null {
  for (const { evidence } of hop.stages)
    if (evidence?.kind === 'route' && evidence.route) return evidence.route.prefix
  return null
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
      aria-hidden
      title={`${stage.title}: ${stage.text}`}
      className={`inline-block size-2 border ${PIPS[stage.result]}`}
    />
  )
}
