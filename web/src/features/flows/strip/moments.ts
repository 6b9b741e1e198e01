import type { Branch, Flow } from '../../../api/types'
import type { Drawn, Moment } from './graph'

/** An answer with the ways of another lens beside its own. */
export type Merged = Omit<Flow, 'forward' | 'return'> & {
  forward: Drawn
  return: Drawn | null
  moved: boolean
}

/** The same flow through two lenses as one: branches of now first, then those that were taken before alone. */
export function merged(now: Flow, before: Flow): Merged {
  const forward = mergedWay(now.forward, before.forward)
  const back = now.return && before.return ? mergedWay(now.return, before.return) : now.return
  const moved = [forward, back].some((way: Drawn | null) => way?.moments?.some((moment) => moment !== 'both'))
  return { ...now, forward, return: back, moved }
}

function mergedWay(now: Drawn, before: Drawn): Drawn {
  const courses = new Set(before.branches.map(courseOf))
  const known = new Set(now.branches.map(courseOf))
  const gone = before.branches.filter((branch) => !known.has(courseOf(branch)))
  const moments = now.branches.map((branch): Moment => (courses.has(courseOf(branch)) ? 'both' : 'now'))
  return {
    ...now,
    branches: [...now.branches, ...gone],
    moments: [...moments, ...gone.map((): Moment => 'before')],
  }
}

/** What makes two branches one: the devices and interfaces on the way, and how it ends. */
const courseOf = (branch: Branch) =>
  [branch.entry ?? '', ...branch.hops.map((hop) => `${hop.device}>${hop.out ?? ''}`), branch.verdict].join(
    '\n',
  )
