import type { FlowQuestion, OtherFlow } from '../../api/queries'

/** The question an address holds, perhaps only a part of it; null where it holds none. */
export function questionIn(params: URLSearchParams): FlowQuestion | null {
  const from = params.get('from') ?? ''
  const to = params.get('to') ?? ''
  if (!from && !to) return null
  const number = (name: string) => (params.get(name) ? Number(params.get(name)) : undefined)
  return {
    from,
    to,
    as: params.get('as') ?? '',
    size: number('size'),
    source_port: number('source_port'),
    dscp: number('dscp'),
    may_fragment: params.get('may_fragment') === 'yes' || undefined,
  }
}

/** The flow that an address compares it with; null where it names none. */
export function otherIn(params: URLSearchParams, question: FlowQuestion | null): OtherFlow | null {
  const [from, to] = [params.get('other_from') ?? '', params.get('other_to') ?? '']
  if (!from || !to) return null
  return { other_from: from, other_to: to, other_as: params.get('other_as') ?? question?.as ?? '' }
}

/** The same as parts of an address; null takes a part out. */
export function addressOf(question: FlowQuestion): Record<string, string | null> {
  const text = (value: number | undefined) => (value === undefined ? null : String(value))
  return {
    from: question.from,
    to: question.to,
    as: question.as || null,
    size: text(question.size),
    source_port: text(question.source_port),
    dscp: question.dscp ? String(question.dscp) : null,
    may_fragment: question.may_fragment ? 'yes' : null,
  }
}

/** The same as a request carries it, with nothing left open. */
export function bodyOf(question: FlowQuestion) {
  return { ...question, dscp: question.dscp ?? 0, may_fragment: question.may_fragment ?? false }
}
