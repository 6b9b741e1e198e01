import type { Candidate } from '../../api/types'

/** How far down the ladder a candidate came: the index of the rung it lost on, or one past the last. */
export function depth(candidate: Candidate, rungs: string[]): number {
  const lost = candidate.lost_on === null ? -1 : rungs.indexOf(candidate.lost_on)
  return lost < 0 ? rungs.length : lost
}

/** The rungs worth a row: those where somebody is out, and those with something to say before that. */
export function ladderRungs(candidates: Candidate[]): { id: string; title: string }[] {
  const first = candidates[0]
  if (!first) return []
  const ids = first.rungs.map((rung) => rung.id)
  return first.rungs.filter((_, index) =>
    candidates.some(
      (candidate) => index <= depth(candidate, ids) && (candidate.rungs[index]?.text ?? '') !== '',
    ),
  )
}

/** The neighbour's address of a path of BGP: one device may tell of several by different sessions. */
export function neighbourOf(candidate: Candidate): string | null {
  const address = (candidate.values as Record<string, unknown>)['neighbour_address']
  return typeof address === 'string' ? address : null
}
