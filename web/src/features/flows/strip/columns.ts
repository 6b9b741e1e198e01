import { leads, type WayGraph } from './graph'

/**
 * The column of every visit, so that each step leads at least one column onward: to the right in the
 * forward direction, to the left in the return. The same device stands in the same column in both
 * where no step speaks against it.
 *
 * `alike`: both run from left to right, as of two flows that are compared.
 */
export function columnsOf(forward: WayGraph, back: WayGraph | null, alike: boolean): Map<string, number> {
  const rank = new Map<string, string>() //: which visits share a column
  const right = new Map<string, Set<string>>()
  const add = (from: string, to: string) => right.set(from, (right.get(from) ?? new Set()).add(to))
  for (const visit of forward.visits) rank.set(visit.id, visit.id)
  for (const step of forward.steps) add(step.from, step.to)
  const live = new Map<string, { in: number; out: number }>()
  const weigh = (from: string, to: string, dead: boolean) => {
    if (dead) return
    const [a, b] = [live.get(from) ?? { in: 0, out: 0 }, live.get(to) ?? { in: 0, out: 0 }]
    live.set(from, { ...a, out: a.out + 1 }).set(to, { ...b, in: b.in + 1 })
  }
  for (const step of forward.steps) weigh(step.from, step.to, step.dead)
  if (back) {
    for (const visit of back.visits) rank.set(visit.id, visit.id)
    const turned = back.steps.map((step) => (alike ? step : { ...step, from: step.to, to: step.from }))
    for (const step of turned) add(step.from, step.to)
    // The ends first: what is between them finds its place.
    for (const visit of endsFirst(back)) {
      const same = forward.visits.find((each) => each.device === visit.device && each.again === visit.again)
      if (same && !leads(right, same.id, visit.id) && !leads(right, visit.id, same.id)) {
        unite(right, same.id, visit.id)
        rank.set(visit.id, same.id)
      }
    }
    const at = (id: string) => rank.get(id) ?? id
    for (const step of turned) weigh(at(step.from), at(step.to), step.dead)
  }
  const columns = longestPaths(new Set(rank.values()), right)
  // The ends at the left stay where they are: where packets begin, and where answers are to arrive.
  const first = (graph: WayGraph) => graph.visits.filter((visit) => visit.refs.some((ref) => ref.hop === 0))
  const goal = alike ? [] : (back?.visits.filter((visit) => visit.device === back.goal) ?? [])
  const ends = [...first(forward), ...goal, ...(alike && back ? first(back) : [])]
  pullTogether(columns, right, live, new Set(ends.map((visit) => rank.get(visit.id) ?? visit.id)))
  return new Map([...rank].map(([visit, shared]) => [visit, columns.get(shared) ?? 0]))
}

function endsFirst(graph: WayGraph) {
  const entered = new Set(graph.steps.map((step) => step.to))
  const left = new Set(graph.steps.map((step) => step.from))
  const isEnd = (id: string) => !entered.has(id) || !left.has(id)
  return [...graph.visits].sort((a, b) => Number(isEnd(b.id)) - Number(isEnd(a.id)))
}

/** Puts one node's edges on another, in both directions. */
function unite(right: Map<string, Set<string>>, kept: string, gone: string) {
  const joined = new Set([...(right.get(kept) ?? []), ...(right.get(gone) ?? [])])
  right.delete(gone)
  if (joined.size > 0) right.set(kept, joined)
  for (const targets of right.values()) if (targets.delete(gone)) targets.add(kept)
}

function inOrder(nodes: Iterable<string>, right: Map<string, Set<string>>): string[] {
  const order: string[] = []
  const seen = new Set<string>()
  const visit = (node: string) => {
    if (seen.has(node)) return
    seen.add(node)
    for (const next of right.get(node) ?? []) visit(next)
    order.push(node)
  }
  for (const node of nodes) visit(node)
  return order.reverse()
}

function longestPaths(nodes: Iterable<string>, right: Map<string, Set<string>>): Map<string, number> {
  const columns = new Map<string, number>()
  for (const node of inOrder(nodes, right)) {
    const here = columns.get(node) ?? 0
    columns.set(node, here)
    for (const next of right.get(node) ?? []) columns.set(next, Math.max(columns.get(next) ?? 0, here + 1))
  }
  return columns
}

/** Moves to the right what has more to its right than to its left, as far as that lets it. */
function pullTogether(
  columns: Map<string, number>,
  right: Map<string, Set<string>>,
  live: Map<string, { in: number; out: number }>,
  fixed: ReadonlySet<string>,
) {
  for (const node of inOrder(columns.keys(), right).reverse()) {
    const targets = [...(right.get(node) ?? [])].map((next) => columns.get(next) ?? 0)
    const { in: before, out: behind } = live.get(node) ?? { in: 0, out: 0 }
    if (targets.length > 0 && !fixed.has(node) && behind > before) columns.set(node, Math.min(...targets) - 1)
  }
}
