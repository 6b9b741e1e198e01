import { useQuery } from '@tanstack/react-query'
import { useEffect, useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import {
  chartQuery,
  compareQuery,
  flowQuery,
  sessionsQuery,
  type FlowQuestion,
  type OtherFlow,
} from '../../api/queries'
import type { Chart, ChartSegment, Flow } from '../../api/types'
import { Button, Problem, Waiting } from '../../ui/controls'
import { Input, Select } from '../../ui/fields'
import { moment } from '../../ui/time'
import { useEscape } from '../../ui/useEscape'
import { DeviceSheet } from '../devices/DeviceSheet'
import { LinkSheet } from '../devices/LinkSheet'
import { countCauses } from '../findings/causes'
import { useCauses } from '../findings/useCauses'
import { addressOf, otherIn, questionIn } from '../flows/question'
import { Named } from '../lens/Named'
import { useLens, useLinkTo, usePlace } from '../lens/lens'
import { useAddress } from '../../ui/address'
import { ChartMap, DRAWING, type Zooming } from './ChartMap'
import { downloadPng, downloadSvg } from './export'
import { flowPath } from './flowPath'
import { overlap, type Point } from './geometry'
import { LAYERS, layerNamed, marksOf, needsSessions, type Marks } from './layers'
import type { ChartLayout } from './layout'
import { isDown } from './parts'
import { areasOf, type Places } from './place'
import { useLayout } from './useLayout'
import { snapped, type Drag } from './useMoving'
import type { Kept } from './useMapZoom'
import { usePlaces } from './usePlaces'
import { counted, questionWords, lensWords } from '../../wording'

/** The chart of the network: what there is, where a flow goes, what a layer says. */
export function ChartPage() {
  const chart = useQuery(chartQuery(useLens()))
  const places = usePlaces()
  if (chart.isPending) return <Waiting what="Reading the network" />
  if (chart.isError) return <Problem error={chart.error} />
  if (!places.known) {
    return places.error ? <Problem error={places.error} /> : <Waiting what="Asking where things stand" />
  }
  return <Charted chart={chart.data} places={places} known={places.known} />
}

/** Charts of more devices begin with their sites, which unfold one by one. */
const SITES_FIRST = 1500

type ChartedProps = { chart: Chart; places: ReturnType<typeof usePlaces>; known: Places }

function Charted({ chart, places, known }: ChartedProps) {
  const { lens, pinned } = usePlace()
  const [params, change] = useAddress()
  const unfolded = params.get('hosts')
  const hosts = unfolded === 'all' ? 'all' : (unfolded?.split(',').filter(Boolean) ?? [])
  const folded = params.get('sites') ?? (chart.devices.length > SITES_FIRST ? 'all' : 'none')
  const shut = folded === 'all' ? 'all' : folded.split(',').filter((name) => name && name !== 'none')
  const layout = useLayout(chart, lens, { hosts, shut }, known, places.version)
  const layer = layerNamed(params.get('layer'))
  const question = questionIn(params)
  const asksFlow = question !== null && question.from !== '' && question.to !== ''
  const flow = useQuery({
    ...flowQuery(lens, question ?? { from: '', to: '', as: '' }),
    enabled: asksFlow,
  })
  const other = otherIn(params, question)
  const compared = useQuery({
    ...compareQuery(lens, question ?? { from: '', to: '', as: '' }, other ?? NO_OTHER),
    enabled: asksFlow && other !== null,
  })
  const before = useQuery({
    ...flowQuery({ slug: lens.slug, ...pinned }, question ?? { from: '', to: '', as: '' }),
    enabled: asksFlow && pinned !== undefined && other === null,
  })
  const sessions = useQuery({ ...sessionsQuery(lens), enabled: needsSessions(layer) })
  const [said, setSaid] = useState('')
  const { data: drawn } = layout
  const isNow = !layout.isPlaceholderData
  const { keep } = places
  useEffect(() => {
    // Hosts and sites that are unfolded or folded now come and go; the others stay where they are.
    // A layout of before a move is no layout to keep.
    if (drawn && isNow && unfolded === null && drawn.parts.shut.size === 0)
      keep(Object.fromEntries(drawn.nodes))
  }, [drawn, isNow, keep, unfolded])
  if (layout.isError) return <Problem error={layout.error} />
  if (!drawn) return <Waiting what={`Laying out ${chart.devices.length} devices`} />

  const marks = marksOf(layer, {
    chart,
    links: drawn.parts.links,
    sessions: sessions.data?.sessions ?? [],
  })
  const isOne = asksFlow && flow.data?.classes.length === 0
  const second = other ? compared.data?.other : pinned && before.data
  const answers = isOne ? [flow.data, second] : []
  const paths = answers.flatMap((answer) => (answer ? [flowPath(answer, drawn.parts)] : []))
  const link = params.get('link')
  const segment = chart.segments.find((each) => link !== null && each.id === Number(link)) ?? null
  const device = params.get('device')
  // What is folded is found at what it is folded into.
  const found = device === null ? null : (drawn.parts.shownBy.get(device) ?? null)
  const unfold = (name: string) => {
    const list = hosts === 'all' ? [] : hosts
    const next = list.includes(name) ? list.filter((each) => each !== name) : [...list, name]
    change({ hosts: next.join(',') || null })
  }
  const foldSite = (name: string) => {
    const list = [...drawn.parts.shut]
    const next = list.includes(name) ? list.filter((each) => each !== name) : [...list, name]
    change({ sites: next.join(',') || 'none' })
  }
  const drop = (drag: Drag) => {
    const to = dropped(drag, drawn)
    setSaid(to ? '' : 'There is no room: sites and devices do not lie on each other.')
    if (to) places.move(to)
  }
  return (
    <div className="h-full min-h-0">
      <ChartMap
        layout={drawn}
        marks={marks}
        paths={paths}
        selected={{ node: found, segment: segment?.id ?? null }}
        found={found}
        onDevice={(name) => change({ device: name, link: null })}
        onSegment={(id) => change({ link: String(id), device: null })}
        onUnfold={unfold}
        onFoldSite={foldSite}
        onMove={places.mayMove ? drop : null}
        kept={keptIn(params.get('view'))}
        onRest={(kept) => {
          const text = kept && [kept.x.toFixed(0), kept.y.toFixed(0), kept.k.toFixed(2)].join(',')
          if (text !== params.get('view')) change({ view: text }, { quiet: true })
        }}
        sheet={
          (device !== null || segment !== null) && (
            <Sheet device={device} segment={segment} onUnfold={unfold} onFoldSite={foldSite} />
          )
        }
        tools={(zoom) => (
          <div className="mb-2 flex flex-col gap-1.5">
            <Toolbar
              zoom={zoom}
              names={chart.devices.map((each) => each.name)}
              marks={marks}
              places={places}
              allHosts={unfolded !== null}
              allSites={shut === 'all' || (drawn.parts.shut.size > 0 && folded !== 'none')}
            />
            <Facts
              chart={chart}
              marks={marks}
              said={said || (places.error ? 'The last move could not be kept.' : '')}
            />
            {asksFlow && question && (
              <FlowLine
                question={question}
                other={other}
                difference={compared.data?.sentence ?? null}
                before={!other && pinned ? { of: lensWords(pinned), sentence: before.data?.sentence } : null}
                device={device}
                flow={flow.data}
                sentence={
                  flow.error
                    ? flow.error.message
                    : flow.data?.classes.length
                      ? 'The chart shows one source and one destination: ask for one of the pairs.'
                      : (flow.data?.sentence ?? 'Following it…')
                }
              />
            )}
          </div>
        )}
      />
    </div>
  )
}

/** Where the chart was moved to, as the address keeps it. */
function keptIn(text: string | null): Kept | null {
  const [x, y, k] = (text ?? '').split(',').map(Number)
  return x !== undefined && y !== undefined && k !== undefined && [x, y, k].every(Number.isFinite) && k > 0
    ? { x, y, k }
    : null
}

type SheetProps = {
  device: string | null
  segment: ChartSegment | null
  onUnfold: (name: string) => void
  onFoldSite: (name: string) => void
}

function Sheet({ device, segment, onUnfold, onFoldSite }: SheetProps) {
  const [, change] = useAddress()
  const close = () => change({ device: null, link: null })
  useEscape(close)
  return (
    <aside
      aria-label="What is chosen"
      className="absolute top-0 right-0 max-h-full w-80 overflow-auto rounded-card border border-line bg-card shadow-xl"
    >
      <div className="flex justify-end px-2 pt-1">
        <button type="button" className="text-sm text-soft hover:underline" onClick={close}>
          close ✕
        </button>
      </div>
      {device !== null ? (
        <DeviceSheet name={device} onUnfold={onUnfold} onFoldSite={onFoldSite} />
      ) : (
        segment && <LinkSheet segment={segment} />
      )}
    </aside>
  )
}

/** Where what was dragged comes to rest; null where it would lie on something else. */
export function dropped(drag: Drag, { nodes, parts }: ChartLayout): Places | null {
  const others = [...nodes].flatMap(([id, box]) => (drag.ids.has(id) ? [] : [box]))
  const first = [...drag.ids].flatMap((id) => nodes.get(id) ?? [])[0]
  if (!first) return null
  const at = { x: first.x + drag.by.x, y: first.y + drag.by.y }
  const rest = drag.ids.size === 1 ? snapped(at, others) : snapped(at, [])
  const by: Point = { x: rest.x - first.x, y: rest.y - first.y }
  const moved = new Map(nodes)
  const places: Places = {}
  for (const id of drag.ids) {
    const box = nodes.get(id)
    if (!box) continue
    places[id] = { x: box.x + by.x, y: box.y + by.y }
    moved.set(id, { ...box, ...places[id] })
    if (others.some((other) => overlap({ ...box, ...places[id] }, other, 2))) return null
  }
  const areas = [...areasOf(parts, moved).values()]
  const meet = areas.some((one, index) => areas.slice(index + 1).some((other) => overlap(one, other)))
  return meet ? null : places
}

type ToolbarProps = {
  zoom: Zooming
  names: string[]
  marks: Marks | null
  places: ReturnType<typeof usePlaces>
  allHosts: boolean
  allSites: boolean
}

function Toolbar({ zoom, names, marks, places, allHosts, allSites }: ToolbarProps) {
  const { network, lens } = usePlace()
  const [params, change] = useAddress()
  const [wanted, setWanted] = useState('')
  const find = (event: FormEvent) => {
    event.preventDefault()
    const typed = wanted.trim()
    const name = names.find((each) => each === typed) ?? names.find((each) => each.startsWith(typed))
    if (typed && name) change({ device: name, link: null })
  }
  const layer = params.get('layer')
  const words = () => [
    [`${network.title}, ${lensWords(lens)}`, moment(new Date())].join(', '),
    ...(marks?.legend ?? ['Dashed with a cross: down.']),
  ]
  const save = (how: typeof downloadSvg | typeof downloadPng) => {
    const drawing = document.getElementById(DRAWING)
    if (drawing instanceof SVGSVGElement) void how(`chart-${network.slug}`, drawing, words())
  }
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 print:hidden">
      <label className="flex items-center gap-2 text-soft">
        show
        <Select
          aria-label="Layer"
          value={layer ?? ''}
          onChange={(event) => change({ layer: event.target.value || null })}
          room="dense"
        >
          <option value="">no routing layer</option>
          {Object.entries(LAYERS).map(([name, { title }]) => (
            <option key={name} value={name}>
              {title}
            </option>
          ))}
        </Select>
      </label>
      <form onSubmit={find} role="search" aria-label="Find on the chart">
        <Input
          aria-label="Find a device on the chart"
          placeholder="find a device"
          value={wanted}
          onChange={(event) => setWanted(event.target.value)}
          list="chart-names"
          room="dense"
          className="w-36"
        />
        <datalist id="chart-names">
          {names.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      </form>
      <label className="flex items-center gap-1.5 whitespace-nowrap">
        <input
          type="checkbox"
          checked={allHosts}
          onChange={(event) => change({ hosts: event.target.checked ? 'all' : null })}
        />{' '}
        hosts
      </label>
      <label className="flex items-center gap-1.5 whitespace-nowrap">
        <input
          type="checkbox"
          checked={allSites}
          onChange={(event) => change({ sites: event.target.checked ? 'all' : 'none' })}
        />{' '}
        sites folded
      </label>
      <div className="flex-1" />
      {places.mayMove && (
        <>
          <Button onClick={places.undo} disabled={!places.canUndo} className="py-0.5 text-sm">
            Undo the move
          </Button>
          <Button
            onClick={places.reset}
            disabled={!places.isKept}
            className="py-0.5 text-sm"
            title="Lay the whole chart out anew"
          >
            Lay out anew
          </Button>
        </>
      )}
      <div className="flex gap-1" role="group" aria-label="Zoom">
        <Button onClick={zoom.zoomOut} aria-label="Farther" className="px-2.5 py-0.5">
          −
        </Button>
        <Button onClick={zoom.fit} className="px-2 py-0.5 text-sm">
          Fit
        </Button>
        <Button onClick={zoom.zoomIn} aria-label="Nearer" className="px-2.5 py-0.5">
          +
        </Button>
      </div>
      <div className="flex gap-1" role="group" aria-label="Save what is seen">
        <Button onClick={() => save(downloadSvg)} className="px-2 py-0.5 text-sm">
          SVG
        </Button>
        <Button onClick={() => save(downloadPng)} className="px-2 py-0.5 text-sm">
          PNG
        </Button>
        <Button onClick={() => window.print()} className="px-2 py-0.5 text-sm">
          Print
        </Button>
      </div>
      <p id="chart-keys" className="sr-only">
        Arrow keys walk along links, Enter opens, plus and minus zoom, zero shows all. With shift, a drag
        chooses what lies in a box; Escape chooses none. The list of devices says the same in words.
      </p>
    </div>
  )
}

/** One line: is anything wrong, and what do the marks mean? */
function Facts({ chart, marks, said }: { chart: Chart; marks: Marks | null; said: string }) {
  const { causes } = useCauses()
  const to = useLinkTo()
  const down = chart.segments.filter(isDown).length
  const { errors, warnings } = countCauses(causes ?? [])
  return (
    <p className="flex flex-wrap gap-x-4 text-sm text-soft">
      <span>
        {down > 0 && (
          <>
            <span className="text-stop">✗ {counted(down, 'link')} down</span>,{' '}
          </>
        )}
        {causes && (
          <Link to={to('devices/findings')}>
            {errors + warnings === 0
              ? '✓ nothing suspicious'
              : `✗ ${counted(errors, 'error')}, ! ${counted(warnings, 'warning')}`}
          </Link>
        )}
      </span>
      <span>{marks ? marks.legend.join(' ') : 'Dashed with a cross: down. +3: three hosts, folded.'}</span>
      {said && (
        <span role="status" className="font-semibold text-warn">
          {said}
        </span>
      )}
    </p>
  )
}

/** The flow that is drawn, and the way back to its answer. */
type FlowLineProps = {
  question: FlowQuestion
  sentence: string
  other: OtherFlow | null
  /** The same flow in the second lens. */
  before: { of: string; sentence: string | undefined } | null
  difference: string | null
  /** What is chosen on the chart: its hop is shown first. */
  device: string | null
  flow: Flow | undefined
}

function FlowLine({ question, sentence, other, before, difference, device, flow }: FlowLineProps) {
  const [, change] = useAddress()
  const to = useLinkTo()
  const address = addressOf(question)
  const compared = { other_from: other?.other_from, other_to: other?.other_to, other_as: other?.other_as }
  const all = [...Object.keys(address), ...Object.keys(compared)]
  const nothing = Object.fromEntries(all.map((key) => [key, null]))
  return (
    <p
      role="status"
      aria-label="The flow on the chart"
      className="flex items-baseline gap-3 rounded-card border border-line bg-paper px-2 py-1"
    >
      <strong className="whitespace-nowrap">{questionWords(question)}</strong>
      <span className="flex-1">
        <Named text={sentence} />
        {other && (
          <span className="block">
            <strong>
              {other.other_from} → {other.other_to}
            </strong>{' '}
            (blue, outside): {difference ?? 'following it…'}
          </span>
        )}
        {before && (
          <span className="block">
            <strong>Before</strong> ({before.of}; blue, outside):{' '}
            {before.sentence ? <Named text={before.sentence} /> : 'following it…'}
          </span>
        )}
      </span>
      <span className="text-sm whitespace-nowrap text-soft">solid: there; dashed: back</span>
      <Link
        to={to('flows', { ...address, ...compared, hop: hopOf(flow, device) })}
        className="whitespace-nowrap"
      >
        its answer
      </Link>
      <button type="button" className="text-soft hover:underline" onClick={() => change(nothing)}>
        take it off
      </button>
    </p>
  )
}

const NO_OTHER: OtherFlow = { other_from: '', other_to: '', other_as: '' }

/** The first hop of an answer at a device, as an address names it; undefined where it does not pass there. */
function hopOf(flow: Flow | undefined, device: string | null): string | undefined {
  for (const [way, direction] of [
    ['forward', flow?.forward],
    ['return', flow?.return],
  ] as const) {
    for (const [number, branch] of (direction?.branches ?? []).entries()) {
      const hop = branch.hops.findIndex((each) => each.device === device)
      if (hop >= 0) return `${way}.${number}.${hop}`
    }
  }
  return undefined
}
