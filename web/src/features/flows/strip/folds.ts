import type { Visit, WayGraph } from './graph'

/** So many that are alike are shown as one, unless somebody wants to see each. */
export const FOLD_FROM = 4

/** Visits that are alike: in one column, between the same neighbours, with the same share and look. */
export type Fold = { id: string; visits: Visit[] }

/**
 * The folds of a direction: the coarsest classes of visits that nothing in the drawing tells apart.
 * Two are told apart by their column, share and look, or by the classes that they lead to or come from.
 */
export function foldsOf(graph: WayGraph, columns: Map<string, number>): Fold[] {
  const colours = new Map<string, string>()
  const entered = new Set(graph.steps.map((step) => step.to))
  for (const visit of graph.visits) {
    // Ends are always shown by name.
    const end = visit.ghost || !entered.has(visit.id) || visit.look !== '' ? visit.id : ''
    const share = visit.share === null ? '?' : visit.share.toFixed(6)
    colours.set(visit.id, `${columns.get(visit.id)} ${share} ${visit.moment} ${end}`)
  }
  for (let classes = 0, found = new Set(colours.values()).size; found !== classes;) {
    classes = found
    const next = new Map<string, string>()
    for (const visit of graph.visits) {
      const around = (ids: string[]) => [...new Set(ids.map((id) => colours.get(id)))].sort().join('|')
      const before = around(graph.steps.filter((s) => s.to === visit.id).map((s) => s.from))
      const behind = around(graph.steps.filter((s) => s.from === visit.id).map((s) => s.to))
      next.set(visit.id, `${colours.get(visit.id)}<${before}>${behind}`)
    }
    const numbers = new Map([...new Set(next.values())].map((colour, number) => [colour, `${number}`]))
    for (const [id, colour] of next) colours.set(id, numbers.get(colour) ?? '')
    found = numbers.size
  }
  const groups = new Map<string, Visit[]>()
  for (const visit of graph.visits) {
    const colour = colours.get(visit.id) ?? ''
    groups.set(colour, [...(groups.get(colour) ?? []), visit])
  }
  return [...groups.values()]
    .filter((visits) => visits.length >= FOLD_FROM)
    .map((visits) => ({ id: visits[0]?.id ?? '', visits }))
}
