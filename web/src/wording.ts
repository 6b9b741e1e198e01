/**
 * What the page says about answers, sessions, findings and links, in sentences. The engine's answers
 * bring their own; titles and labels stand where they are drawn.
 */
import type { Base, FlowQuestion, Lens } from './api/queries'
import type {
  BgpSession,
  ChartEnd,
  ChartSegment,
  ComparedFlow,
  Direction,
  Flow,
  FlowCause,
  FlowDoubt,
  Obstacle,
  Route,
  Verdict,
} from './api/types'
import type { Count } from './features/chart/Tiles'
import { downOf, type ChartLink } from './features/chart/parts'
import type { Cause } from './features/findings/causes'
import { tone } from './features/flows/verdicts'
import { withNames } from './features/lens/Named'

/** A number with what it counts: 1 link, 2 links. */
export const counted = (count: number, one: string, many = `${one}s`) =>
  `${count} ${count === 1 ? one : many}`

/** Parts of which a share is told exactly; ways that part again and again come to more. */
const MOST_PARTS = 1024

/** A share of traffic as people say it: a fraction; percentages of several would not add up. */
export function shareWords(share: number): string {
  if (share === 1) return 'all'
  for (let parts = 2; parts <= MOST_PARTS; parts++) {
    const whole = Math.round(share * parts)
    if (whole > 0 && Math.abs(share * parts - whole) < 1e-9 * parts) return `${whole}/${parts}`
  }
  return `about ${(share * 100).toPrecision(2)}%`
}

const UNITS = ['b/s', 'kb/s', 'Mb/s', 'Gb/s', 'Tb/s']

/** A rate as people say it: 2.5 Gb/s. */
export function rateWords(bps: number): string {
  let value = bps
  let unit = 0
  while (value >= 1000 && unit < UNITS.length - 1) {
    value /= 1000
    unit += 1
  }
  return `${value} ${UNITS[unit] ?? ''}`
}

// --- lenses

const FAILING: Record<string, string> = {
  interface: 'interface',
  link: 'link',
  direction: 'the direction out of',
  device: 'device',
  site: 'site',
  session: 'session',
  line: 'the line to',
  group: 'risk group',
}

/** What is otherwise about a flow in a second lens. */
export const SHIFT_WORDS: Record<ComparedFlow['shift'], string> = {
  lost: 'arrives no longer',
  won: 'arrives now',
  verdict: 'fails otherwise',
  exit: 'leaves elsewhere',
  way: 'goes another way',
  return_way: 'answers come another way',
}

/** A thing that fails, by its written form: “link harbour”. */
/** How a table is called: by its device, and its VRF where that is not the default one. */
export const tableName = (device: string, vrf: string) => (vrf === 'default' ? device : `${device} ${vrf}`)

/** In what an entry of a table that was read is not as it was computed. */
export function differenceWords(kind: string): string {
  const said: Record<string, string> = {
    missing: 'not read',
    extra: 'not computed',
    protocol: 'other protocol',
    next_hops: 'other next hops',
    metric: 'other metric',
  }
  return said[kind] ?? kind
}

/** What devices are taken to forward by, as a lens has it: "r1=known" or "computed". */
export function tablesWords(word: string): string {
  const [device, source] = word.includes('=') ? word.split('=', 2) : [null, word]
  const said: Record<string, string> = {
    computed: 'by computed tables',
    known: 'by tables as read, where known',
    observed: 'by tables as read, those alone',
  }
  return `${device ? `${device} ` : ''}${said[source ?? ''] ?? word}`
}

export function failureWords(name: string): string {
  const [kind = '', ...rest] = name.split(':')
  return `${FAILING[kind] ?? kind} ${rest.join(':')}`
}

/** What a page or an answer is seen through. */
export function lensWords({ revision, change = [], fail = [] }: Lens | Base): string {
  const changed = change.length ? ` with ${change.join(', ')}` : ''
  const failed = fail.length
    ? `${changed ? ' and' : ', with'} ${fail.map(failureWords).join(', ')} failed`
    : ''
  return `revision ${revision}${changed}${failed}`
}

// --- flows

export const VERDICT_WORDS: Record<Verdict, string> = {
  delivered: 'delivered',
  filtered: 'blocked by a filter',
  no_route: 'no route',
  discarded: 'discarded',
  next_hop_unresolved: 'next hop does not answer',
  looped: 'loops',
  too_big: 'too big',
  ttl_expired: 'time to live expired',
  leaves_network: 'leaves the network',
  label_broken: 'label switching broken',
  not_converged: 'routing never settles',
  mixed: 'paths differ',
}

/** The verdict of a cause; what arrives and is not answered is not called delivered alone. */
export function causeWords({ verdict, return_verdict: back }: FlowCause): string {
  if (!verdict) return 'cannot be asked'
  const lost = tone(verdict) === 'go' && back && tone(back) === 'stop'
  return `${VERDICT_WORDS[verdict]}${lost ? '; the answer is lost' : ''}`
}

/** The question as people say it. */
export function questionWords(question: FlowQuestion): string {
  const more = [
    question.size !== undefined &&
      `${question.size} bytes${question.may_fragment ? ', fragmentation allowed' : ''}`,
    question.source_port !== undefined && `from port ${question.source_port}`,
    question.dscp ? `code point ${question.dscp}` : false,
  ].filter(Boolean)
  return `${question.from} → ${question.to}, ${question.as || 'ping'}${more.length ? `, ${more.join(', ')}` : ''}`
}

/** The doubt in a sentence: who decides, and what is the same in every outcome. */
export function doubtSentence(doubt: FlowDoubt): string {
  const who = doubt.deciders.map((each) => each.device).join(' or ')
  const verdicts = new Set(doubt.outcomes.map((each) => `${each.verdict} ${each.return_verdict}`))
  const [first] = doubt.outcomes
  const same =
    verdicts.size === 1 && first
      ? ` In every outcome: ${VERDICT_WORDS[first.verdict]}${first.return_verdict ? `, answers: ${VERDICT_WORDS[first.return_verdict]}` : ''}.`
      : ' What becomes of it differs.'
  return `Not certain: it depends on which settles first, ${who}.${same}`
}

export function hereWords(verdict: Verdict, stopped: boolean): string {
  if (verdict === 'looped') return 'loops here'
  return stopped ? 'stops here' : VERDICT_WORDS[verdict]
}

const place = (cited: { file: string | null; line: number | null }) =>
  cited.file ? ` (${cited.file}:${cited.line})` : ''

/** What the answer was seen through, and where it is. */
export type Seen = { network: string; lens: Lens; address: string }

/** The answer as plain text for a ticket: the sentence, both ways, everything in the way, the page's address. */
export function ticketText(flow: Flow, seen: Seen, names: ReadonlyMap<string, string>): string {
  const ways: [string, Direction | null][] = [
    ['Forward', flow.forward],
    ['Return', flow.return],
  ]
  const lines = [
    flow.sentence,
    '',
    `Asked of ${seen.network}, ${lensWords(seen.lens)}: ${flow.traffic} from ${flow.forward.source.address} to ${flow.forward.destination.address}`,
  ]
  for (const [name, way] of ways) {
    if (!way) continue
    for (const branch of way.branches) {
      const share = way.branches.length > 1 ? ` (${branch.share_text})` : ''
      lines.push(
        `${name}${share}: ${branch.hops.map((hop) => hop.device).join(' > ')}: ${branch.verdict.replaceAll('_', ' ')}`,
      )
    }
    lines.push(...way.obstacles.map((each: Obstacle) => `  in the way: ${each.text}${place(each)}`))
    lines.push(...way.defaults.map((each) => `  note: ${each.text}`))
  }
  return [withNames(lines.join('\n'), names), '', seen.address].join('\n')
}

// --- routes, sessions, findings

type Hops = Pick<Route, 'next_hops'>

/** A route's next hops: who they are, else their addresses and interfaces. */
export function hopWords(route: Hops & { discard?: boolean }): string {
  if (route.discard) return 'discards'
  return route.next_hops
    .map((hop) => {
      const share = route.next_hops.some((each) => each.weight !== hop.weight) ? ` (share ${hop.weight})` : ''
      if (!hop.address) return `directly on ${hop.interface ?? ''}${share}`
      return `${hop.device ?? hop.address} by ${hop.interface ?? ''}${share}`
    })
    .join(', ')
}

export function relationWords(session: BgpSession): string {
  return session.reflector_client ? `${session.relation}, client` : session.relation
}

/** Since when a cause is there, short. */
export function sinceWords(cause: Cause, revision: number | undefined): string {
  if (cause.since === null) return ''
  if (cause.orBefore) return `revision ${cause.since} or before`
  return cause.since === revision && cause.since > 1 ? `new in ${cause.since}` : `revision ${cause.since}`
}

// --- links and tiles of the chart

export const segmentTitle = (segment: ChartSegment) =>
  [...segment.ends.map((end) => end.device), ...segment.outside.map((end) => end.name)].join(' – ')

/** What a line says of itself: both ends with addresses, costs and MTU; of a trunk how many there are. */
export function linkWords(link: ChartLink): string {
  const down = downOf(link)
  if (link.trunk.length > 0) {
    const some = down > 0 ? `, ${down} down` : ''
    const names = link.trunk.slice(0, 12).map(segmentTitle)
    return [`Trunk of ${counted(link.trunk.length, 'link')}${some}`, ...names].join('\n')
  }
  const ends = link.segment.ends.map((end) => {
    const costs = end.costs.map(({ protocol, cost }) => `${protocol} cost ${cost}`)
    const told = [...end.addresses, ...costs, `MTU ${end.mtu} bytes`, end.up ? '' : 'down'].filter(Boolean)
    return `${end.device}:${end.interface}: ${told.join(', ')}`
  })
  return [`Link ${segmentTitle(link.segment)}${down ? ', down' : ''}`, ...ends].join('\n')
}

/** What an end counts outward, by protocol. */
export function costWords(end: ChartEnd): string {
  const words = end.costs.map(
    ({ protocol, where, cost }) => `${PROTOCOLS[protocol] ?? protocol} ${where}, cost outward ${cost}`,
  )
  return words.join('; ') || 'no link-state protocol here'
}

const PROTOCOLS: Record<string, string> = { ospf: 'OSPF', ospfv3: 'OSPFv3', isis: 'IS-IS' }

export function countWords({ devices, hosts, errors, warnings }: Count) {
  return [
    counted(devices, 'device'),
    hosts && counted(hosts, 'host'),
    errors && `✗ ${errors}`,
    warnings && `! ${warnings}`,
  ]
    .filter(Boolean)
    .join(', ')
}
