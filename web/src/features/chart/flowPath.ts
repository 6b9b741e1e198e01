import type { Branch, Flow } from '../../api/types'
import { tone, type Tone } from '../flows/verdicts'
import type { ChartLink, ChartParts } from './parts'
import { VERDICT_WORDS } from '../../wording'

/** A stretch of a flow between two nodes of the chart, on a link where there is one. */
export type Stretch = {
  id: string
  from: string
  to: string
  link: string | null
  back: boolean
  /** How much of the traffic takes it, from 0 to 1. */
  share: number
  /** What becomes of what takes it; the worst where branches differ. */
  tone: Tone
}
export type Stop = { node: string; back: boolean; words: string }
/** Both directions of an answer as they are drawn. */
export type FlowPath = { stretches: Stretch[]; nodes: Set<string>; stops: Stop[]; sentence: string }

type Drawn = Pick<Flow, 'forward' | 'return' | 'sentence'>

/** Where a flow passes on a chart, and where and why it stops. What is folded stands for itself by what it is folded into. */
export function flowPath(flow: Drawn, { links, nodes: shown, shownBy }: ChartParts): FlowPath {
  const outsides = new Set(shown.map((node) => node.id))
  const nodeOf = (device: string, outside: boolean): string | null => {
    const id = `outside ${device}`
    return outside ? (outsides.has(id) ? id : null) : (shownBy.get(device) ?? null)
  }
  const byEnd = new Map<string, ChartLink>()
  for (const link of links) {
    const ends = link.trunk.length ? link.trunk.flatMap((segment) => segment.ends) : link.ends
    for (const end of ends) if (end) byEnd.set(`${end.device}\n${end.interface}`, link)
  }
  const stretches = new Map<string, Stretch>()
  const nodes = new Set<string>()
  const stops: Stop[] = []
  for (const [back, direction] of [
    [false, flow.forward],
    [true, flow.return],
  ] as const) {
    for (const branch of direction?.branches ?? []) {
      const hops = branch.hops.flatMap((hop) => {
        const node = nodeOf(hop.device, hop.outside)
        return node === null ? [] : [{ node, hop }]
      })
      for (const { node } of hops) nodes.add(node)
      hops.slice(1).forEach(({ node, hop }, index) => {
        const before = hops[index]
        if (!before || before.node === node) return
        const leaves = byEnd.get(`${before.hop.device}\n${before.hop.out ?? ''}`)
        const enters = byEnd.get(`${hop.device}\n${hop.in ?? ''}`)
        for (const part of stretchesOf(before.node, node, leaves, enters)) {
          const id = `${back ? 'back' : 'forth'} ${part.from} ${part.to} ${part.link ?? ''}`
          const known = stretches.get(id)
          const share = (known?.share ?? 0) + branch.share
          const worst = known?.tone === 'stop' ? 'stop' : tone(branch.verdict)
          stretches.set(id, { ...part, id, back, share: Math.min(1, share), tone: worst })
        }
      })
      const last = hops[hops.length - 1]
      if (last && tone(branch.verdict) !== 'go') {
        const words = stopWords(branch)
        if (!stops.some((stop) => stop.node === last.node && stop.back === back))
          stops.push({ node: last.node, back, words })
      }
    }
  }
  return { stretches: [...stretches.values()], nodes, stops, sentence: flow.sentence }
}

/** The way between two nodes that follow each other: a link, or over the hub of a segment of many. */
function stretchesOf(from: string, to: string, leaves?: ChartLink, enters?: ChartLink) {
  const link = leaves ?? enters
  if (!link) return [{ from, to, link: null }]
  const hub = `hub ${link.segment.id}`
  if (link.to !== hub) return [{ from, to, link: link.id }]
  return [
    { from, to: hub, link: leaves?.from === from ? leaves.id : null },
    { from: hub, to, link: enters?.from === to ? enters.id : null },
  ]
}

/** Why a branch ends where it does, short: the verdict, and the rule where one decided. */
function stopWords({ verdict, cause }: Branch): string {
  const by = cause?.rule == null ? 'the default' : `rule ${cause.rule}`
  const rule = cause?.filter ? ` (${by} of ${cause.filter})` : ''
  return `${VERDICT_WORDS[verdict]}${rule}`
}
