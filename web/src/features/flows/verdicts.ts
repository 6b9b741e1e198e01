import type { Direction, Flow, FlowCause, Verdict } from '../../api/types'

/** How a verdict is to be felt: it arrives, it does not, or the model cannot tell. */
export type Tone = 'go' | 'stop' | 'warn'

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

export function tone(verdict: Verdict): Tone {
  if (verdict === 'delivered' || verdict === 'leaves_network') return 'go'
  return verdict === 'mixed' || verdict === 'not_converged' ? 'warn' : 'stop'
}

/** How one of the causes of many flows is felt; addresses of nobody are never more than worth knowing. */
export function causeTone(cause: FlowCause): Tone {
  const there = cause.verdict ? tone(cause.verdict) : 'warn'
  const back = cause.return_verdict ? tone(cause.return_verdict) : 'go'
  const felt = there === 'go' ? back : there
  return cause.of_nobody && felt === 'stop' ? 'warn' : felt
}

/** The verdict of a cause; what arrives and is not answered is not called delivered alone. */
export function causeWords({ verdict, return_verdict: back }: FlowCause): string {
  if (!verdict) return 'cannot be asked'
  const lost = tone(verdict) === 'go' && back && tone(back) === 'stop'
  return `${VERDICT_WORDS[verdict]}${lost ? '; the answer is lost' : ''}`
}

/** The tone of the whole answer: as bad as its worse direction, of many flows as their worst cause. */
export function flowTone(flow: Flow): Tone {
  const causes = flow.causes.some((cause) => !cause.of_nobody)
    ? flow.causes.filter((cause) => !cause.of_nobody)
    : flow.causes
  const directions = [flow.forward, flow.return].filter((d): d is Direction => d !== null)
  const tones = causes.length > 0 ? causes.map(causeTone) : directions.map((d) => tone(d.verdict))
  return tones.includes('stop') ? 'stop' : tones.includes('warn') ? 'warn' : 'go'
}
