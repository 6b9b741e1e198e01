import { useEffect, useMemo, useRef, type KeyboardEvent, type ReactNode } from 'react'
import { around, BoxIndex, left, overlap, top, type Box, type Point } from './geometry'
import type { Marks } from './layers'
import type { ChartLayout } from './layout'
import { ExtraLines, LineEnds, LinkLines, Overlay, PathLines } from './Lines'
import type { FlowPath } from './flowPath'
import { Overview } from './Overview'
import { linkedWith } from './parts'
import { areasOf } from './place'
import type { Line } from './route'
import { AreaNames, Areas, Tile } from './Tiles'
import { useBoxSelect } from './useBoxSelect'
import { aroundView, useMapZoom, type Kept, type Level } from './useMapZoom'
import { useMoving, type Drag } from './useMoving'
import { isArrow, walk } from './walk'
import { counted } from '../../wording'

export const DRAWING = 'chart-drawing'
/** What buttons beside the chart may do with it. */
export type Zooming = { fit: () => void; zoomIn: () => void; zoomOut: () => void; level: Level }
/** What is chosen: a node by its id, or a segment. */
export type Selected = { node: string | null; segment: number | null }

type ChartMapProps = {
  layout: ChartLayout
  marks: Marks | null
  paths: FlowPath[]
  selected: Selected
  /** The node that is asked for from outside; it is brought into view and pulses. */
  found: string | null
  onDevice: (name: string) => void
  onSegment: (id: number) => void
  onUnfold: (name: string) => void
  /** Folds a site to one tile, or unfolds it. */
  onFoldSite: (name: string) => void
  /** Null for who may not move things. */
  onMove: ((drag: Drag) => void) | null
  tools: (zoom: Zooming) => ReactNode
  /** What is said of what is chosen, over the chart. */
  sheet: ReactNode
  /** Where it begins, and who is told where it comes to rest. */
  kept: Kept | null
  onRest: (kept: Kept | null) => void
}

/** Sites, devices and links on a surface that moves like a map. */
export function ChartMap({
  layout,
  marks,
  paths,
  selected,
  found,
  onDevice,
  onSegment,
  onUnfold,
  onFoldSite,
  onMove,
  tools,
  sheet,
  kept,
  onRest,
}: ChartMapProps) {
  const { parts, areas } = layout
  const world = useMemo(() => around(areas.values()), [areas])
  const [{ host, layer, overview }, zoom] = useMapZoom(world, kept, onRest)
  const { level, view, at, isReady, show, isSeen } = zoom
  const { drag, grip } = useMoving(at.k, (done) => onMove?.(done))
  const nodes = useMemo(() => moved(layout.nodes, drag), [layout.nodes, drag])
  const lines = useMemo(
    () => (drag ? straightened(layout.lines, nodes, drag) : layout.lines),
    [layout.lines, nodes, drag],
  )
  const boxed = useBoxSelect(host, at, layout.nodes)
  const linked = useMemo(() => linkedWith(parts.links), [parts])
  const index = useMemo(() => new BoxIndex(layout.nodes.values()), [layout.nodes])
  const ids = useMemo(() => new Map([...layout.nodes].map(([id, box]) => [box, id])), [layout.nodes])
  const inView = aroundView(view)
  const drawn = useMemo(() => {
    if (level === 'sites') return []
    const near = [...index.near(inView)].flatMap((box) => (overlap(box, inView) ? (ids.get(box) ?? []) : []))
    return near.sort()
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the view as numbers
  }, [index, ids, level, inView.x, inView.y, inView.width, inView.height])
  const shownLines = level === 'sites' ? lines : lines.filter((line) => touches(line, inView))
  const shownAreas = drag ? areasOf(parts, nodes) : areas
  const active = selected.node
  const first = active && nodes.has(active) ? active : (drawn.find((id) => !id.startsWith('hub')) ?? null)
  const byId = useMemo(() => new Map(parts.nodes.map((node) => [node.id, node])), [parts])
  const counts = useMemo(() => countsOf(layout), [layout])

  const press = (event: KeyboardEvent<SVGSVGElement>) => {
    if (event.key === 'Escape' && boxed.chosen.size > 0) boxed.clear()
    else if (event.key === '+' || event.key === '=') zoom.zoomIn()
    else if (event.key === '-') zoom.zoomOut()
    else if (event.key === '0') zoom.fit()
    else if (isArrow(event.key)) {
      const from = (event.target as Element).closest('[data-node]')?.getAttribute('data-node') ?? first
      const to = from === null ? null : walk(event.key, from, nodes, linked)
      const box = to === null ? undefined : nodes.get(to)
      if (to === null || !box) return
      if (!zoom.isSeen(box) || level === 'sites') zoom.show(box)
      // What comes into view is drawn first.
      requestAnimationFrame(() =>
        document
          .getElementById(DRAWING)
          ?.querySelector<SVGElement>(`[data-node="${CSS.escape(to)}"]`)
          ?.focus({ preventScroll: true }),
      )
    } else return
    event.preventDefault()
  }

  const shown = useRef<string | null>(null)
  const target = found ? nodes.get(found) : undefined
  useEffect(() => {
    // Once for each that is asked for, as soon as there is room to show it in.
    if (found === shown.current || (found && (!target || !isReady))) return
    shown.current = found
    if (target && (!isSeen(target) || level === 'sites')) show(target)
  }, [found, target, isReady, isSeen, level, show])

  return (
    <div className="flex h-full min-h-0 flex-col">
      {tools(zoom)}
      <div className="relative flex min-h-0 flex-1">
        <svg
          ref={host}
          id={DRAWING}
          role="group"
          aria-label="Chart of sites, devices and links"
          aria-describedby="chart-keys"
          tabIndex={level === 'sites' || first === null ? 0 : -1}
          onKeyDown={press}
          {...boxed.handlers}
          className="min-h-0 w-full flex-1 cursor-grab print:h-[17cm] print:flex-none touch-none rounded-md bg-paper outline-offset-[-2px] select-none active:cursor-grabbing"
        >
          <g ref={layer} transform={at.toString()} data-world>
            <Areas
              areas={shownAreas}
              titles={parts.groups}
              shut={parts.shut}
              grip={onMove ? (group) => grip(() => inGroup(layout, group)) : null}
            />
            <LinkLines
              lines={shownLines}
              level={level}
              marks={marks}
              faded={paths.length > 0 || (marks !== null && marks.extra.length > 0)}
              selected={selected.segment}
              beside={active}
              onSelect={onSegment}
            />
            {marks && level !== 'sites' && <ExtraLines lines={marks.extra} nodes={nodes} />}
            {paths.map((path, number) => (
              <PathLines key={number} path={path} number={number} lines={lines} nodes={nodes} />
            ))}
            {level === 'sites' && <Blocks nodes={nodes} />}
            <AreaNames
              areas={shownAreas}
              titles={parts.groups}
              shut={parts.shut}
              level={level}
              scale={at.k}
              counts={counts}
              onFold={onFoldSite}
            />
            {drawn.map((id) => {
              const node = byId.get(id)
              const box = nodes.get(id)
              if (!node || !box) return null
              return (
                <Tile
                  key={id}
                  node={node}
                  box={box}
                  scale={at.k}
                  selected={id === active || boxed.chosen.has(id)}
                  pulsing={found !== null && id === found}
                  faded={paths.length > 0 && !paths.some((path) => path.nodes.has(id))}
                  mark={marks?.nodes.get(id) ?? null}
                  tabbable={id === first}
                  grip={onMove ? grip(() => (boxed.chosen.has(id) ? boxed.chosen : [id])) : null}
                  onSelect={() => {
                    if (node.kind === 'site') onFoldSite(node.group)
                    else if (node.segment) onSegment(node.segment.id)
                    else if (node.device) onDevice(node.name)
                  }}
                  onUnfold={() => (node.kind === 'site' ? onFoldSite(node.group) : onUnfold(node.name))}
                />
              )
            })}
            {level !== 'sites' && (
              <LineEnds lines={shownLines} nodes={nodes} marks={marks} level={level} scale={at.k} />
            )}
            {paths.map((path, number) => (
              <Overlay
                key={number}
                stops={path.stops}
                number={number}
                of={paths.length}
                nodes={nodes}
                scale={at.k}
              />
            ))}
            {boxed.box && <Boxed box={boxed.box} scale={at.k} />}
          </g>
        </svg>
        {boxed.chosen.size > 0 && (
          <p
            role="status"
            className="absolute top-1 left-1 rounded-card border border-line bg-card px-2 py-1 text-sm shadow"
          >
            {counted(boxed.chosen.size, 'tile')} chosen{onMove ? ': drag one to move them together' : ''}.{' '}
            <button type="button" className="text-link hover:underline" onClick={boxed.clear}>
              Choose none
            </button>
          </p>
        )}
        {world && isReady && (
          <Overview
            areas={areas}
            world={world}
            view={view}
            rect={overview}
            onGo={(point) => zoom.show(point, at.k)}
          />
        )}
        {sheet}
      </div>
    </div>
  )
}

/** The box that is being drawn. */
function Boxed({ box, scale }: { box: Box; scale: number }) {
  return (
    <rect
      x={left(box)}
      y={top(box)}
      width={box.width}
      height={box.height}
      className="pointer-events-none fill-chosen-wash/50 stroke-chosen"
      strokeWidth={1.5 / scale}
      strokeDasharray={`${5 / scale} ${3 / scale}`}
    />
  )
}

/** All tiles as one shape: far out nobody reads them. */
function Blocks({ nodes }: { nodes: Map<string, Box> }) {
  const path = [...nodes.values()]
    .map((box) => `M${left(box)} ${top(box)}h${box.width}v${box.height}h${-box.width}z`)
    .join('')
  return <path d={path} className="pointer-events-none fill-card stroke-soft" strokeWidth={1} aria-hidden />
}

function moved(nodes: Map<string, Box>, drag: Drag | null): Map<string, Box> {
  if (!drag) return nodes
  const made = new Map(nodes)
  for (const id of drag.ids) {
    const box = nodes.get(id)
    if (box) made.set(id, { ...box, x: box.x + drag.by.x, y: box.y + drag.by.y })
  }
  return made
}

/** While something moves its lines run straight; they are laid anew once it rests. */
function straightened(lines: Line[], nodes: Map<string, Box>, drag: Drag): Line[] {
  return lines.map((line) => {
    const { from, to } = line.link
    if (!drag.ids.has(from) && !drag.ids.has(to)) return line
    if (drag.ids.has(from) && drag.ids.has(to))
      return {
        ...line,
        points: line.points.map((point) => ({ x: point.x + drag.by.x, y: point.y + drag.by.y })),
      }
    const ends = [nodes.get(from), nodes.get(to)].flatMap((box): Point[] =>
      box ? [{ x: box.x, y: box.y }] : [],
    )
    return { ...line, points: ends }
  })
}

const inGroup = ({ parts }: ChartLayout, group: string) =>
  parts.nodes.filter((node) => node.group === group).map(({ id }) => id)

function touches({ points }: Line, view: Box): boolean {
  const box = around(points.map((point) => ({ ...point, width: 0, height: 0 })))
  return box !== null && overlap({ ...box, width: box.width + 1, height: box.height + 1 }, view)
}

/** By site: devices, hosts among them, and how many have errors and warnings. */
function countsOf({ parts }: ChartLayout) {
  const counts = new Map<string, { devices: number; hosts: number; errors: number; warnings: number }>()
  for (const node of parts.nodes) {
    if (node.kind === 'hub') continue
    const count = counts.get(node.group) ?? { devices: 0, hosts: 0, errors: 0, warnings: 0 }
    const devices = node.kind === 'site' ? node.members : node.device ? [node.device] : []
    count.devices += node.kind === 'outside' ? 1 : devices.length
    count.hosts += node.hosts.length
    count.errors += devices.filter((device) => device.errors).length
    count.warnings += devices.filter((device) => device.warnings).length
    counts.set(node.group, count)
  }
  return counts
}
