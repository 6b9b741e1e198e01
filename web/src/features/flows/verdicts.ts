import type { Direction, Flow, FlowCause, Verdict } from '../../api/types'

/** How a verdict is to be felt: it arrives, it does not, or the model cannot tell. */
export type Tone = 'go' | 'stop' | 'warn'

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

/** The tone of the whole answer: as bad as its worse direction, of many flows as their worst cause. */
export function flowTone(flow: Flow): Tone {
  const causes = flow.causes.some((cause) => !cause.of_nobody)
    ? flow.causes.filter((cause) => !cause.of_nobody)
    : flow.causes
  const directions = [flow.forward, flow.return].filter((d): d is Direction => d !== null)
  const tones = causes.length > 0 ? causes.map(causeTone) : directions.map((d) => tone(d.verdict))
  return tones.includes('stop') ? 'stop' : tones.includes('warn') ? 'warn' : 'go'
}
