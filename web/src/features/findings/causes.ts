import type { Finding, FindingNotes } from '../../api/types'

/** Findings of one cause, with what is kept about them. */
export type Cause = {
  key: string
  findings: Finding[]
  severity: Finding['severity']
  /** The first of the revisions in a row that have one of them; null where nobody knows. */
  since: number | null
  /** Whether they may have been there before. */
  orBefore: boolean
  /** Why they may be as they are; null where they are not muted. */
  muted: FindingNotes['muted'][number] | null
}

const RANK = { error: 0, warning: 1, note: 2 }

/** The causes of a revision's findings: the newest first, of one age the worst; those muted last. */
export function causesOf(findings: Finding[], notes: FindingNotes | undefined): Cause[] {
  const groups = new Map<string, Finding[]>()
  for (const finding of findings) groups.set(finding.group, [...(groups.get(finding.group) ?? []), finding])
  const causes = [...groups].map(([key, found]): Cause => {
    const ages = found.flatMap((each) => notes?.since[each.key] ?? [])
    const since = ages.length > 0 ? Math.min(...ages) : null
    return {
      key,
      findings: found,
      severity: found[0]?.severity ?? 'note',
      since,
      orBefore: since !== null && since === notes?.known_from && since > 1,
      muted: notes?.muted.find((each) => each.key === key) ?? null,
    }
  })
  return causes.sort(
    (a, b) =>
      Number(a.muted !== null) - Number(b.muted !== null) ||
      (b.since ?? 0) - (a.since ?? 0) ||
      RANK[a.severity] - RANK[b.severity],
  )
}

/** How many causes are errors and warnings and not muted. */
export function countCauses(causes: Cause[]): { errors: number; warnings: number } {
  const heard = causes.filter((cause) => cause.muted === null)
  return {
    errors: heard.filter((cause) => cause.severity === 'error').length,
    warnings: heard.filter((cause) => cause.severity === 'warning').length,
  }
}
