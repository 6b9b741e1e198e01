import { useQuery } from '@tanstack/react-query'
import { changesQuery } from '../../api/queries'
import type { Change } from '../../api/types'

/** The changes that an address names: known with their versions, being looked up, or not there. */
export type AskedChanges =
  | { kind: 'there'; said: string | undefined }
  | { kind: 'looking' }
  | { kind: 'failed'; error: unknown }
  | { kind: 'unknown'; name: string }

/** Finds changes by name. What they say is named by their versions, those below them included. */
export function useChanges(slug: string, names: string[]): AskedChanges {
  const found = useQuery({ ...changesQuery(slug), enabled: names.length > 0 })
  if (names.length === 0) return { kind: 'there', said: undefined }
  if (found.isError && !found.data) return { kind: 'failed', error: found.error }
  if (!found.data) return { kind: 'looking' }
  const missing = names.find((name) => !found.data.some((change) => change.name === name))
  // What was known before may be of before the change was made.
  if (missing !== undefined)
    return found.isFetching ? { kind: 'looking' } : { kind: 'unknown', name: missing }
  return { kind: 'there', said: saidOf(found.data, names) }
}

/** What changes say, by their versions: of each one with all that it stands on. */
export function saidOf(changes: Change[], names: string[]): string {
  const byName = new Map(changes.map((change) => [change.name, change]))
  const said: string[] = []
  for (const name of names) {
    const chain: string[] = []
    let change = byName.get(name)
    while (change && chain.length <= changes.length) {
      chain.push(`${change.name}@${change.version}`)
      change = change.below ? byName.get(change.below) : undefined
    }
    said.push(chain.join('/'))
  }
  return said.join(' ')
}
