import { useQuery } from '@tanstack/react-query'
import ELK from 'elkjs/lib/elk-api'
import ElkWorker from 'elkjs/lib/elk-worker.min.js?worker'
import { useEffect, useRef, useState, type KeyboardEvent } from 'react'
import type { Lens } from '../../api/queries'
import type { Chart, ChartSegment } from '../../api/types'
import { Problem, Waiting } from '../../ui/controls'
import { inLayer, layerLabels, layerOf, LAYERS, type Layer } from './layers'
import { layoutChart, OUTSIDE, type Box, type ChartLine } from './chartLayout'

let elk: InstanceType<typeof ELK> | null = null
const engine = () => (elk ??= new ELK({ workerFactory: () => new ElkWorker() }))

type ChartSize = 'width' | 'whole' | 'full'
const CHART_SIZES: [ChartSize, string][] = [
  ['width', 'Fit the width'],
  ['whole', 'Whole chart'],
  ['full', 'Full size'],
]

type ChartViewProps = {
  chart: Chart
  lens: Lens
  device: string | null
  segment: number | null
  layer: Layer | null
  onLayer: (layer: Layer | null) => void
  onDevice: (name: string) => void
  onSegment: (id: number) => void
}

/** Sites as areas, devices as tiles, links as right-angled lines. */
export function ChartView({
  chart,
  lens,
  device,
  segment,
  layer,
  onLayer,
  onDevice,
  onSegment,
}: ChartViewProps) {
  const [hosts, setHosts] = useState(false)
  const [size, setSize] = useState<ChartSize>('width')
  const layout = useQuery({
    queryKey: ['chart-layout', lens, hosts, layer !== null],
    queryFn: () => layoutChart(engine(), chart, hosts, layer !== null),
    staleTime: Infinity,
  })
  if (layout.isPending) return <Waiting what="Drawing the chart" />
  if (layout.isError) return <Problem error={layout.error} />
  const { width, height, sites, tiles, lines } = layout.data
  const titles = new Map(chart.sites.map((site) => [site.name, site.title]))
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="mb-2 flex flex-wrap items-center gap-x-4 gap-y-1">
        <label className="flex items-center gap-2 whitespace-nowrap">
          <input type="checkbox" checked={hosts} onChange={(event) => setHosts(event.target.checked)} /> show
          hosts
        </label>
        <div className="flex items-center gap-1" role="group" aria-label="Size of the chart">
          {CHART_SIZES.map(([value, label]) => (
            <ZoomButton key={value} label={label} pressed={size === value} onClick={() => setSize(value)} />
          ))}
        </div>
        <label className="flex items-center gap-2">
          layer
          <select
            aria-label="Layer"
            value={layer ?? ''}
            onChange={(event) => onLayer(layerOf(event.target.value))}
            className="rounded border border-line bg-paper px-1.5 py-0.5"
          >
            <option value="">links alone</option>
            {Object.entries(LAYERS).map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
        </label>
        <Legend layer={layer} />
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        <svg
          viewBox={`0 0 ${width} ${height}`}
          width={size === 'full' ? width : '100%'}
          height={size === 'full' ? height : size === 'whole' ? '100%' : undefined}
          style={
            size === 'width' ? { maxWidth: width * 1.15, margin: '0 auto', display: 'block' } : undefined
          }
          preserveAspectRatio="xMidYMin meet"
          role="group"
          aria-label="Chart of sites, devices and links"
        >
          {sites.map((site) => (
            <rect
              key={site.id}
              x={site.x}
              y={site.y}
              width={site.width}
              height={site.height}
              rx={10}
              className={site.id === OUTSIDE ? 'fill-transparent stroke-line' : 'fill-sunk'}
              strokeDasharray="5 4"
            />
          ))}
          {lines.map((line) => (
            <LinkLine
              key={line.id}
              line={line}
              faint={layer !== null && !inLayer(line.segment, layer)}
              selected={line.segment.id === segment}
              onSelect={() => onSegment(line.segment.id)}
            />
          ))}
          {sites.map((site) => (
            // Above the lines, with a rim of the site's colour: a line that crosses leaves it legible.
            <text
              key={site.id}
              x={site.x + 12}
              y={site.y + 20}
              className={`fill-ink text-[15px] font-semibold ${site.id === OUTSIDE ? 'stroke-card' : 'stroke-sunk'}`}
              strokeWidth={5}
              style={{ paintOrder: 'stroke' }}
            >
              {titles.get(site.id) ?? site.id}
            </text>
          ))}
          {layer && lines.map((line) => <LineLabels key={line.id} line={line} layer={layer} />)}
          {tiles.map((tile) => (
            <DeviceTile
              key={tile.id}
              box={tile}
              chart={chart}
              selected={tile.id === `device ${device}`}
              onSelect={onDevice}
            />
          ))}
        </svg>
      </div>
    </div>
  )
}

function ZoomButton({ label, pressed, onClick }: { label: string; pressed: boolean; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-pressed={pressed}
      onClick={onClick}
      className="rounded border border-line px-2 py-0.5 text-sm whitespace-nowrap aria-pressed:bg-sunk aria-pressed:font-semibold"
    >
      {label}
    </button>
  )
}

function Legend({ layer }: { layer: Layer | null }) {
  return (
    <p className="text-sm text-soft">
      {layer && 'Each number is what the nearer device counts outward. '}
      Dashed line: down. <span className="text-stop">✗</span> errors, <span className="text-warn">!</span>{' '}
      warnings on the device.
    </p>
  )
}

/** What a key does to something drawn that is a button: Enter and the space bar press it. */
const onPress = (press: () => void) => (event: KeyboardEvent) => {
  if (event.key !== 'Enter' && event.key !== ' ') return
  event.preventDefault()
  press()
}

const down = (segment: ChartSegment) => segment.ends.some((end) => !end.up)

export function segmentTitle(segment: ChartSegment): string {
  const ends = [...segment.ends.map((end) => end.device), ...segment.outside.map((end) => end.name)]
  return ends.join(' – ')
}

/** The outward cost at each end of a line, and the area or level between. */
function LineLabels({ line, layer }: { line: ChartLine; layer: Layer }) {
  const { costs, where } = layerLabels(line, layer)
  return (
    <g
      aria-hidden
      className="pointer-events-none"
      style={{ paintOrder: 'stroke' }}
      strokeWidth={5}
      textAnchor="middle"
    >
      {where && (
        <text x={where.x} y={where.y + 4} className="fill-soft stroke-card text-[12px]">
          {where.text}
        </text>
      )}
      {costs.map((label, index) => (
        <text key={index} x={label.x} y={label.y + 5} className="fill-ink stroke-card text-[14px] font-bold">
          {label.text}
        </text>
      ))}
    </g>
  )
}

function LinkLine({
  line,
  faint,
  selected,
  onSelect,
}: {
  line: ChartLine
  faint: boolean
  selected: boolean
  onSelect: () => void
}) {
  const path = line.points.map((point, index) => `${index ? 'L' : 'M'}${point.x} ${point.y}`).join(' ')
  const isDown = down(line.segment)
  return (
    <g
      role="button"
      tabIndex={0}
      aria-pressed={selected}
      aria-label={`Link ${segmentTitle(line.segment)}${isDown ? ', down' : ''}`}
      onClick={onSelect}
      onKeyDown={onPress(onSelect)}
      className={`cursor-pointer ${faint ? 'opacity-30' : ''}`}
    >
      <path d={path} fill="none" stroke="transparent" strokeWidth={12} />
      <path
        d={path}
        fill="none"
        className={selected ? 'stroke-chosen' : isDown ? 'stroke-stop' : 'stroke-soft'}
        strokeWidth={selected ? 4 : 2}
        strokeDasharray={isDown ? '6 5' : undefined}
        strokeLinejoin="round"
      />
    </g>
  )
}

function DeviceTile({
  box,
  chart,
  selected,
  onSelect,
}: {
  box: Box
  chart: Chart
  selected: boolean
  onSelect: (name: string) => void
}) {
  const [kind, name = ''] = box.id.split(/ (.*)/)
  const device = chart.devices.find((each) => kind === 'device' && each.name === name)
  const mark = device?.errors ? '✗' : device?.warnings ? '!' : ''
  const rounded = device?.role === 'host' ? 15 : 4
  const activate = () => device && onSelect(name)
  const group = useRef<SVGGElement>(null)
  useEffect(() => {
    // A device found elsewhere may lie outside the part of the chart in view.
    if (selected) group.current?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  }, [selected])
  return (
    <g
      ref={group}
      role={device ? 'button' : undefined}
      tabIndex={device ? 0 : undefined}
      aria-pressed={device ? selected : undefined}
      aria-label={`${name}, ${device?.role ?? 'outside neighbour'}`}
      onClick={activate}
      onKeyDown={onPress(activate)}
      className={device ? 'cursor-pointer' : ''}
    >
      <rect
        x={box.x}
        y={box.y}
        width={box.width}
        height={box.height}
        rx={rounded}
        className={`fill-card ${selected ? 'stroke-chosen' : device?.errors ? 'stroke-stop' : 'stroke-soft'}`}
        strokeWidth={selected ? 3 : 1}
        strokeDasharray={device ? undefined : '4 3'}
      />
      {device?.role === 'firewall' && (
        <rect
          x={box.x + 3}
          y={box.y + 3}
          width={box.width - 6}
          height={box.height - 6}
          rx={2}
          fill="none"
          className="stroke-soft"
        />
      )}
      <text
        x={box.x + box.width / 2}
        y={box.y + box.height / 2 + 5}
        textAnchor="middle"
        className="fill-ink text-[15px]"
      >
        {name}
      </text>
      {mark && (
        <text
          x={box.x + box.width - 9}
          y={box.y + 13}
          textAnchor="middle"
          className={`text-[14px] font-bold ${device?.errors ? 'fill-stop' : 'fill-warn'}`}
        >
          {mark}
        </text>
      )}
    </g>
  )
}
