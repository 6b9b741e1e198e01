import type { Branch, Direction } from '../../../api/types'
import { tone } from '../verdicts'

/** Which hop a tile stands for: a branch's hop in one direction. */
export type HopRef = { way: 'forward' | 'return'; branch: number; hop: number }

/** Of two lenses: in which of them a way is taken. */
export type Moment = 'both' | 'now' | 'before'

/** A direction whose branches may be of two lenses; without moments all are of the one that is asked. */
export type Drawn = Direction & { moments?: Moment[] }

/** One visit of a device on its way through a direction. A loop visits a device again, as a node of its own. */
export type Visit = {
  id: string
  device: string
  /** How often the device was visited before. */
  again: number
  refs: HopRef[]
  /** Some branch ends here without arriving. */
  stops: boolean
  /** Never reached; there so that one sees what is missing. */
  ghost: boolean
  /** Of what comes in at one entry; null where entries differ, for nobody knows the split. */
  share: number | null
  /** Tells what a device does that others like it do not. */
  look: string
  moment: Moment
}

/** From one visit to the next. */
export type Step = { from: string; to: string; share: number; dead: boolean; moment: Moment }

/** In which lenses something is that is in either of two. */
export const joined = (one: Moment, other: Moment): Moment => (one === other ? one : 'both')

/** One direction as a graph without cycles, its visits in order of the branches. */
export type WayGraph = { way: HopRef['way']; visits: Visit[]; steps: Step[]; goal: string }

/** Joins the branches of a direction where they meet, visit by visit. */
export function wayGraph(way: HopRef['way'], direction: Drawn): WayGraph {
  const visits: Visit[] = []
  const steps = new Map<string, Step>()
  const onward = new Map<string, Set<string>>()
  const shares = new Map<string, Map<string, number>>()
  const place = (device: string, taken: Set<string>, before: string | null, moment: Moment): Visit => {
    const known = visits.filter((each) => each.device === device)
    const fits = known.find(
      (each) => !taken.has(each.id) && (before === null || !leads(onward, each.id, before)),
    )
    if (fits) {
      fits.moment = joined(fits.moment, moment)
      return fits
    }
    const visit: Visit = {
      id: `${way} ${device}${known.length > 0 ? ` ${known.length + 1}` : ''}`,
      device,
      again: known.length,
      refs: [],
      stops: false,
      ghost: false,
      share: 0,
      look: '',
      moment,
    }
    visits.push(visit)
    return visit
  }
  const join = (from: string, to: string, share: number, dead: boolean, moment: Moment) => {
    const key = `${from}\n${to}`
    const step = steps.get(key) ?? { from, to, share: 0, dead, moment }
    // What both take is as wide as it is now; branches of now come first.
    if (moment !== 'before' || step.moment === 'before') step.share = Math.min(1, step.share + share)
    step.moment = joined(step.moment, moment)
    steps.set(key, step)
    onward.set(from, (onward.get(from) ?? new Set()).add(to))
  }
  direction.branches.forEach((branch, number) => {
    const moment = direction.moments?.[number] ?? 'both'
    const taken = new Set<string>()
    let before: Visit | null = null
    branch.hops.forEach((hop, at) => {
      const visit: Visit =
        before?.device === hop.device ? before : place(hop.device, taken, before?.id ?? null, moment)
      if (before && before !== visit) join(before.id, visit.id, branch.share, false, moment)
      if (before !== visit && moment !== 'before') count(shares, visit.id, branch.entry ?? '', branch.share)
      visit.refs.push({ way, branch: number, hop: at })
      taken.add(visit.id)
      before = visit
    })
    if (moment !== 'before') finish(before, branch)
  })
  const goal = direction.destination.name
  const arrives = direction.branches.some(
    (branch, number) => direction.moments?.[number] !== 'before' && tone(branch.verdict) === 'go',
  )
  if (!arrives && !visits.some((visit) => visit.device === goal)) {
    const ghost = place(goal, new Set(), null, 'both')
    ghost.ghost = true
    for (const visit of visits) if (visit.stops) join(visit.id, ghost.id, 0, true, 'both')
  }
  const entries = new Set(direction.branches.map((branch) => branch.entry ?? '')).size
  for (const visit of visits) visit.share = shareOf(shares.get(visit.id), entries)
  return { way, visits, steps: [...steps.values()], goal }
}

function finish(last: Visit | null, branch: Branch) {
  if (!last) return
  const stopped = tone(branch.verdict) !== 'go'
  last.stops ||= stopped
  last.look += ` ${branch.verdict}`
}

function count(shares: Map<string, Map<string, number>>, visit: string, entry: string, share: number) {
  const known = shares.get(visit) ?? new Map<string, number>()
  known.set(entry, (known.get(entry) ?? 0) + share)
  shares.set(visit, known)
}

function shareOf(byEntry: Map<string, number> | undefined, entries: number): number | null {
  const found = [...(byEntry?.values() ?? [])]
  if (entries > 1) {
    // Of one entry it is a share of that; of several that agree it is a share of each.
    const [first] = found
    const agree = first !== undefined && found.every((each) => Math.abs(each - first) < 1e-9)
    return agree ? Math.min(1, first) : null
  }
  return found.length === 0 ? null : Math.min(1, found[0] ?? 1)
}

/** Whether one node leads to another, or is it. */
export function leads(onward: Map<string, Iterable<string>>, from: string, to: string): boolean {
  const waiting = [from]
  const seen = new Set(waiting)
  for (let here = waiting.pop(); here !== undefined; here = waiting.pop()) {
    if (here === to) return true
    for (const next of onward.get(here) ?? []) {
      if (!seen.has(next)) {
        seen.add(next)
        waiting.push(next)
      }
    }
  }
  return false
}
