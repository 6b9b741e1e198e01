import type { Direction, Flow, Verdict } from '../../api/types'

/** How a verdict is to be felt: it arrives, it does not, or the model cannot tell. */
export type Tone = 'go' | 'stop' | 'warn'

export const VERDICT_WORDS: Record<Verdict, string> = {
  delivered: 'delivered',
  filtered: 'blocked by a filter',
  no_route: 'no route',
  discarded: 'discarded',
  next_hop_unresolved: 'next hop does not answer',
  looped: 'goes round in a loop',
  too_big: 'too big',
  ttl_expired: 'time to live expired',
  leaves_network: 'leaves the network',
  label_broken: 'label switching broken',
  not_converged: 'routing never settles',
  mixed: 'branches disagree',
}

export function tone(verdict: Verdict): Tone {
  if (verdict === 'delivered' || verdict === 'leaves_network') return 'go'
  return verdict === 'mixed' || verdict === 'not_converged' ? 'warn' : 'stop'
}

/** The tone of the whole answer: as bad as its worse direction. */
export function flowTone(flow: Flow): Tone {
  const tones = [flow.forward, flow.return]
    .filter((d): d is Direction => d !== null)
    .map((d) => tone(d.verdict))
  return tones.includes('stop') ? 'stop' : tones.includes('warn') ? 'warn' : 'go'
}
