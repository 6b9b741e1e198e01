import type { Direction, Flow, Obstacle } from '../../api/types'
import { withNames } from '../lens/Named'

const place = (cited: { file: string | null; line: number | null }) =>
  cited.file ? ` (${cited.file}:${cited.line})` : ''

/** What the answer was seen through, and where it is. */
export type Seen = { network: string; revision: number | undefined; address: string }

/** The answer as plain text for a ticket: the sentence, both ways, everything in the way, the page's address. */
export function ticketText(flow: Flow, seen: Seen, names: ReadonlyMap<string, string>): string {
  const ways: [string, Direction | null][] = [
    ['Forward', flow.forward],
    ['Return', flow.return],
  ]
  const lines = [
    flow.sentence,
    '',
    `Asked of ${seen.network}, revision ${seen.revision}: ${flow.traffic} from ${flow.forward.source.address} to ${flow.forward.destination.address}`,
  ]
  for (const [name, way] of ways) {
    if (!way) continue
    for (const branch of way.branches) {
      const share = way.branches.length > 1 ? ` (${branch.share_text})` : ''
      lines.push(
        `${name}${share}: ${branch.hops.map((hop) => hop.device).join(' > ')}: ${branch.verdict.replaceAll('_', ' ')}`,
      )
    }
    lines.push(...way.obstacles.map((each: Obstacle) => `  in the way: ${each.text}${place(each)}`))
    lines.push(...way.defaults.map((each) => `  note: ${each.text}`))
  }
  return [withNames(lines.join('\n'), names), '', seen.address].join('\n')
}
