import type { BgpSession, Chart, ChartEnd } from '../../api/types'
import { isDown, type ChartLink } from './parts'
import { rateWords } from '../../wording'

/** How a mark looks; a word or a shape always says the same. */
export type Tone = 'plain' | 'good' | 'warn' | 'bad'
export type LinkMark = {
  /** At the end of each of the two nodes, and in the middle. */
  from?: string
  to?: string
  middle?: string
  tone?: Tone
}
export type NodeMark = { text: string; tone: Tone; title: string }
/** A line that a layer draws besides the links, between two devices. */
export type ExtraLine = { id: string; from: string; to: string; tone: Tone; title: string }

/** What a layer says of a chart. Links without a mark stand back. */
export type Marks = {
  legend: string[]
  links: Map<string, LinkMark>
  nodes: Map<string, NodeMark>
  extra: ExtraLine[]
}

export type LayerQuestion = { chart: Chart; links: ChartLink[]; sessions: BgpSession[] }
type Layer = { title: string; needs?: 'sessions'; marks: (question: LayerQuestion) => Marks }

const nothing = (legend: string[]): Marks => ({ legend, links: new Map(), nodes: new Map(), extra: [] })

/** Areas or levels of a link-state protocol, with the cost that each end counts outward. */
function routing(title: string, protocol: string): Layer {
  const at = (end: ChartEnd | null) => end?.costs.filter((each) => each.protocol === protocol) ?? []
  return {
    title,
    marks: ({ links }) => {
      const marks = nothing([
        'Each number is the outgoing interface cost of the nearer device; the area or level stands in the middle.',
        'Lines that stand back do not run it.',
      ])
      for (const link of links) {
        const [from, to] = link.ends.map(at) as [ReturnType<typeof at>, ReturnType<typeof at>]
        if (!from.length && !to.length) continue
        const costs = (found: typeof from) =>
          [...new Set(found.map((each) => each.cost))].join('/') || undefined
        const where = [...new Set([...from, ...to].map((each) => each.where))]
        const differ = costs(from) !== costs(to) && from.length > 0 && to.length > 0
        marks.links.set(link.id, {
          from: costs(from),
          to: costs(to),
          middle: where.join(' | '),
          tone: differ ? 'warn' : 'plain',
        })
      }
      return marks
    },
  }
}

const state: Layer = {
  title: 'Links and their state',
  marks: ({ links }) => {
    const marks = nothing(['Dashed with a cross: down. The rate of the slower end, where it is known.'])
    for (const link of links) {
      const rates = link.segment.ends.flatMap((end) => end.bandwidth_bps ?? [])
      const isUp = !isDown(link.segment)
      marks.links.set(link.id, {
        middle: isUp ? (rates.length ? rateWords(Math.min(...rates)) : undefined) : 'down',
        tone: isUp ? 'plain' : 'bad',
      })
    }
    return marks
  },
}

const sessions: Layer = {
  title: 'BGP sessions',
  needs: 'sessions',
  marks: ({ sessions: all }) => {
    const marks = nothing([
      'A line for each session between two that are both drawn; dashed with a cross: down on one side at least.',
      'On each device: how many of its sessions are up.',
    ])
    const counts = new Map<string, { all: number; up: number; why: string[] }>()
    const drawn = new Map<string, ExtraLine>()
    for (const one of all) {
      const from = `device ${one.device}`
      const isUp = one.state === 'up'
      const count = counts.get(from) ?? { all: 0, up: 0, why: [] }
      count.all += 1
      count.up += Number(isUp)
      if (!isUp) count.why.push(`${one.remote ?? one.neighbour}: ${one.reason ?? one.state}`)
      counts.set(from, count)
      if (!one.remote) continue
      const to = `${one.outside ? 'outside' : 'device'} ${one.remote}`
      const id = `session ${[from, to].sort().join(' with ')}`
      const known = drawn.get(id)
      if (known && (isUp || known.tone === 'bad')) continue
      const title = `${one.device} – ${one.remote}: ${isUp ? 'up' : (one.reason ?? one.state)}`
      drawn.set(id, { id, from, to, tone: isUp ? 'good' : 'bad', title })
    }
    marks.extra = [...drawn.values()]
    for (const [id, { all: total, up: good, why }] of counts) {
      const tone = good === total ? 'good' : good ? 'warn' : 'bad'
      const title = [`${good} of ${total} sessions up`, ...why].join('; ')
      marks.nodes.set(id, { text: `${good}/${total}`, tone, title })
    }
    return marks
  },
}

const vrfs: Layer = {
  title: 'VRFs',
  marks: ({ links }) => {
    const marks = nothing(['The VRF of each end, where it is not the default one. Other lines stand back.'])
    for (const link of links) {
      const [from, to] = link.ends.map((end) => (end && end.vrf !== 'default' ? end.vrf : undefined))
      if (from || to) marks.links.set(link.id, { from, to })
    }
    return marks
  },
}

const filters: Layer = {
  title: 'Filters and stateful devices',
  marks: ({ chart, links }) => {
    const marks = nothing([
      'At each end the filters of its interface: in for what enters the device, out for what leaves it.',
      '“stateful”: the device keeps track of connections.',
    ])
    const words = (end: ChartEnd | null) =>
      end && end.filters_in.length + end.filters_out.length > 0
        ? [
            end.filters_in.length ? `in ${end.filters_in.join(', ')}` : '',
            end.filters_out.length ? `out ${end.filters_out.join(', ')}` : '',
          ]
            .filter(Boolean)
            .join('; ')
        : undefined
    for (const link of links) {
      const [from, to] = link.ends.map(words)
      if (from || to) marks.links.set(link.id, { from, to })
    }
    for (const device of chart.devices) {
      if (device.stateful)
        marks.nodes.set(`device ${device.name}`, {
          text: 'stateful',
          tone: 'plain',
          title: 'keeps track of connections',
        })
    }
    return marks
  },
}

const mtu: Layer = {
  title: 'MTU',
  marks: ({ links }) => {
    const marks = nothing(['Bytes at each end where the two differ, else in the middle.'])
    for (const link of links) {
      const sizes = new Set(link.segment.ends.map((end) => end.mtu))
      const [from, to] = link.ends.map((end) => (end ? String(end.mtu) : undefined))
      marks.links.set(
        link.id,
        sizes.size > 1 ? { from, to, tone: 'warn' } : { middle: from ?? to, tone: 'plain' },
      )
    }
    return marks
  },
}

/** What a chart can show besides what there is. A layer is one entry here. */
export const LAYERS = {
  state,
  ospf: routing('OSPF areas and costs', 'ospf'),
  ospfv3: routing('OSPFv3 areas and costs', 'ospfv3'),
  isis: routing('IS-IS levels and metrics', 'isis'),
  sessions,
  vrfs,
  filters,
  mtu,
} satisfies Record<string, Layer>

export type LayerName = keyof typeof LAYERS
export const layerNamed = (name: string | null): LayerName | null =>
  name !== null && Object.hasOwn(LAYERS, name) ? (name as LayerName) : null

/** The marks of a layer; null for none. */
export const marksOf = (name: LayerName | null, question: LayerQuestion): Marks | null =>
  name === null ? null : LAYERS[name].marks(question)

export const needsSessions = (name: LayerName | null) =>
  name !== null && (LAYERS[name] as Layer).needs === 'sessions'
