import { distance, type Box, type Point } from './geometry'

const ARROWS: Record<string, Point> = {
  ArrowLeft: { x: -1, y: 0 },
  ArrowRight: { x: 1, y: 0 },
  ArrowUp: { x: 0, y: -1 },
  ArrowDown: { x: 0, y: 1 },
}
/** How far from an arrow's direction a link may lead, as a cosine. */
const ALONG = 0.5
/** Without a link the nearest tile that way; sideways counts more. */
const SIDEWAYS = 2.5

export const isArrow = (key: string) => Object.hasOwn(ARROWS, key)

/**
 * The tile an arrow key leads to: along the link whose direction is nearest to the arrow's, else the
 * nearest tile that way; null where there is none.
 */
export function walk(
  key: string,
  from: string,
  nodes: Map<string, Box>,
  linked: Map<string, string[]>,
): string | null {
  const here = nodes.get(from)
  const way = ARROWS[key]
  if (!here || !way) return null
  let best: string | null = null
  let straightest = ALONG
  for (const id of linked.get(from) ?? []) {
    const there = nodes.get(id)
    if (!there || id === from) continue
    const far = distance(here, there) || 1
    const straight = ((there.x - here.x) * way.x + (there.y - here.y) * way.y) / far
    if (straight > straightest) {
      straightest = straight
      best = id
    }
  }
  if (best !== null) return best
  let nearest = Infinity
  for (const [id, there] of nodes) {
    const ahead = (there.x - here.x) * way.x + (there.y - here.y) * way.y
    const aside = Math.abs((there.x - here.x) * way.y) + Math.abs((there.y - here.y) * way.x)
    if (id === from || ahead < 1) continue
    const cost = ahead + SIDEWAYS * aside
    if (cost < nearest) {
      nearest = cost
      best = id
    }
  }
  return best
}
