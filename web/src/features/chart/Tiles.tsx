import { bottom, left, right, top, type Box } from './geometry'
import type { NodeMark, Tone } from './layers'
import { NO_SITE, OUTSIDE, type ChartNode } from './parts'
import { onPress } from './press'
import type { Level } from './useMapZoom'
import type { useMoving } from './useMoving'
import { countWords, counted } from '../../wording'

type Grip = ReturnType<ReturnType<typeof useMoving>['grip']>

export const FILL: Record<Tone, string> = {
  plain: 'fill-soft',
  good: 'fill-go',
  warn: 'fill-warn',
  bad: 'fill-stop',
}
/** How wide a letter of a site's counts is; they are left out where the site is narrower. */
const COUNT_LETTER = 5.6
/** No name is drawn smaller than this on the screen, in pixels. */
const SMALLEST = 12
/** Names wider than a tile are cut here and told in full by its title. */
const LONGEST = 23

type AreasProps = {
  areas: Map<string, Box>
  titles: Map<string, string>
  /** Sites that are folded: their tile says it all. */
  shut: Set<string>
  grip: ((group: string) => Grip) | null
}

/** The areas of sites; whoever may move things grips them here. */
export function Areas({ areas, titles, shut, grip }: AreasProps) {
  const open = [...areas].filter(([name]) => !shut.has(name))
  return open.map(([name, area]) => (
    <g key={name} {...grip?.(name)} className={grip ? 'cursor-move' : undefined}>
      <title>{titles.get(name) ?? name}</title>
      <rect
        x={left(area)}
        y={top(area)}
        width={area.width}
        height={area.height}
        rx={10}
        className={
          name === OUTSIDE || name === NO_SITE
            ? 'fill-transparent stroke-line'
            : 'fill-sunk stroke-transparent'
        }
        strokeDasharray="5 4"
      />
    </g>
  ))
}

type AreaNamesProps = {
  areas: Map<string, Box>
  titles: Map<string, string>
  shut: Set<string>
  level: Level
  scale: number
  counts: Map<string, Count>
  onFold: (name: string) => void
}
/** What is counted of a site. */
export type Count = { devices: number; hosts: number; errors: number; warnings: number }

/** The names of sites: above their devices, or large in the middle with counts where those cannot be read. */
export function AreaNames({ areas, titles, shut, level, scale, counts, onFold }: AreaNamesProps) {
  const far = level === 'sites'
  // Near by the tile of a folded site says its name.
  const named = [...areas].filter(([name]) => far || !shut.has(name))
  return named.map(([name, area]) => {
    const count = counts.get(name)
    const size = far ? 15 / scale : Math.max(14, SMALLEST / scale)
    return (
      <g key={name} className="pointer-events-none stroke-sunk" style={{ paintOrder: 'stroke' }}>
        <text
          x={far ? area.x : left(area) + 12}
          y={far ? area.y - size * 0.2 : top(area) + 19}
          textAnchor={far ? 'middle' : 'start'}
          className="fill-ink font-semibold"
          style={{ fontSize: size, strokeWidth: size / 3 }}
        >
          {titles.get(name) ?? name}
        </text>
        {!far && name !== OUTSIDE && name !== NO_SITE && (
          <Fold name={titles.get(name) ?? name} area={area} onFold={() => onFold(name)} />
        )}
        {far && count && area.width * scale > countWords(count).length * COUNT_LETTER && (
          <text
            x={area.x}
            y={area.y + size}
            textAnchor="middle"
            className="fill-soft"
            style={{ fontSize: 12.5 / scale, strokeWidth: 4 / scale }}
          >
            {countWords(count)}
          </text>
        )}
      </g>
    )
  })
}

/** Folds a site to one tile. The keyboard does so from a device's sheet. */
function Fold({ name, area, onFold }: { name: string; area: Box; onFold: () => void }) {
  const [x, y] = [right(area) - 15, top(area) + 13]
  return (
    <g
      aria-hidden
      className="pointer-events-auto cursor-pointer"
      onPointerDown={(event) => event.stopPropagation()}
      onClick={onFold}
    >
      <title>{`Fold ${name} to one tile`}</title>
      <rect x={x - 8} y={y - 8} width={16} height={16} rx={3} className="fill-card stroke-line" />
      <path d={`M${x - 4} ${y}h8`} className="stroke-soft" strokeWidth={1.8} />
    </g>
  )
}

type TileProps = {
  node: ChartNode
  box: Box
  scale: number
  selected: boolean
  pulsing: boolean
  faded: boolean
  mark: NodeMark | null
  tabbable: boolean
  grip: Grip | null
  onSelect: () => void
  onUnfold: () => void
}

/** A device, an outside network, or the point where a segment of many ends comes together. */
export function Tile({
  node,
  box,
  scale,
  selected,
  pulsing,
  faded,
  mark,
  tabbable,
  grip,
  onSelect,
  onUnfold,
}: TileProps) {
  const { device, name, members } = node
  const hosts = node.kind === 'site' ? members : node.hosts
  const sum = (what: 'errors' | 'warnings') =>
    members.reduce((total, member) => total + member[what], device?.[what] ?? 0)
  const [errors, warnings] = [sum('errors'), sum('warnings')]
  const found = errors ? '✗' : warnings ? '!' : ''
  const kinds = { hub: '', outside: 'outside network', site: 'site, folded', device: device?.role }
  const words = [
    node.kind === 'hub' ? `Segment ${name}` : name,
    kinds[node.kind],
    node.kind === 'site' ? counted(members.length, 'device') : '',
    errors ? counted(errors, 'error') : '',
    warnings ? counted(warnings, 'warning') : '',
    node.hosts.length ? counted(node.hosts.length, 'host') : '',
    mark?.title ?? '',
  ]
    .filter(Boolean)
    .join(', ')
  return (
    <>
      <g
        data-node={node.id}
        data-first-stop={tabbable || undefined}
        role="button"
        tabIndex={tabbable ? 0 : -1}
        aria-pressed={selected}
        aria-label={words}
        onClick={onSelect}
        onKeyDown={onPress(onSelect)}
        {...grip}
        className={`cursor-pointer outline-none [&:focus-visible>.ring]:stroke-focus ${faded ? 'opacity-35' : ''}`}
      >
        <title>{words}</title>
        {node.kind === 'hub' ? (
          <rect
            x={left(box)}
            y={top(box)}
            width={box.width}
            height={box.height}
            rx={2}
            className={`ring fill-soft ${selected ? 'stroke-chosen' : 'stroke-card'}`}
            strokeWidth={2}
          />
        ) : (
          <>
            <rect
              x={left(box)}
              y={top(box)}
              width={box.width}
              height={box.height}
              rx={device?.role === 'host' ? 15 : 4}
              className={`ring ${selected ? 'fill-chosen-wash stroke-chosen' : `${node.kind === 'site' ? 'fill-sunk' : 'fill-card'} ${errors ? 'stroke-stop' : 'stroke-soft'}`} ${pulsing ? 'chart-pulse' : ''}`}
              strokeWidth={selected ? 3 : 1.2}
              strokeDasharray={node.kind === 'outside' ? '4 3' : undefined}
            />
            {device?.role === 'firewall' && (
              <rect
                x={left(box) + 3}
                y={top(box) + 3}
                width={box.width - 6}
                height={box.height - 6}
                rx={2}
                fill="none"
                className="stroke-soft"
              />
            )}
            <text
              x={box.x - (hosts.length ? 9 + 3.5 * String(hosts.length).length : 0)}
              y={box.y + 5}
              textAnchor="middle"
              className="fill-ink"
              style={{ fontSize: Math.max(14.5, SMALLEST / scale) }}
            >
              {name.length > LONGEST ? `${name.slice(0, LONGEST - 1)}…` : name}
            </text>
          </>
        )}
        {found && (
          <text
            x={left(box) + 3}
            y={top(box) + 4}
            textAnchor="middle"
            className={`stroke-card text-[14px] font-semibold ${errors ? 'fill-stop' : 'fill-warn'}`}
            style={{ paintOrder: 'stroke', strokeWidth: 4 }}
            aria-hidden
          >
            {found}
          </text>
        )}
      </g>
      {hosts.length > 0 && (
        <Hosts
          box={box}
          name={name}
          what={node.kind === 'site' ? 'device' : 'host'}
          count={hosts.length}
          onUnfold={onUnfold}
        />
      )}
      {mark && (
        <text
          x={box.x}
          y={bottom(box) + 13}
          textAnchor="middle"
          className={`stroke-paper text-[12px] font-semibold ${FILL[mark.tone]}`}
          style={{ paintOrder: 'stroke', strokeWidth: 4 }}
          aria-hidden
        >
          {mark.tone === 'bad' ? '✗ ' : mark.tone === 'good' ? '✓ ' : ''}
          {mark.text}
        </text>
      )}
    </>
  )
}

/** How many hosts are folded into a device, or devices into a site; a press unfolds them. */
function Hosts({
  box,
  name,
  what,
  count,
  onUnfold,
}: {
  box: Box
  name: string
  what: string
  count: number
  onUnfold: () => void
}) {
  const width = 20 + 7 * String(count).length
  return (
    // The keyboard unfolds from the device's sheet, so that arrows need not stop here.
    <g
      className="cursor-pointer"
      data-unfold={name}
      aria-hidden
      onPointerDown={(event) => event.stopPropagation()}
      onClick={(event) => {
        event.stopPropagation()
        onUnfold()
      }}
    >
      <title>{`${counted(count, what)} of ${name}: press to unfold`}</title>
      <rect
        x={right(box) - width - 4}
        y={top(box) + 5}
        width={width}
        height={box.height - 10}
        rx={9}
        className="fill-sunk stroke-line"
      />
      <text
        x={right(box) - width / 2 - 4}
        y={box.y + 4.5}
        textAnchor="middle"
        className="fill-soft text-[12.5px]"
      >
        +{count}
      </text>
    </g>
  )
}
