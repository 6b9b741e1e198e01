import { useQuery } from '@tanstack/react-query'
import { revisionsQuery } from '../../api/queries'
import type { Network } from '../../api/types'

/** What the address says of a revision: nothing yet, one that there is, or none of this network; or it cannot be told. */
export type Asked =
  | { kind: 'unnamed'; newest: number }
  | { kind: 'looking' }
  | { kind: 'there'; number: number }
  | { kind: 'nothing imported' }
  | { kind: 'failed'; error: unknown }
  | { kind: 'unknown'; text: string; known: number[] }

/** The revision that the address names, once it is known that there is one. */
export function useRevision(network: Network | undefined, slug: string, text: string | null): Asked {
  const newest = network?.newest_revision?.number
  const number = text !== null && /^[1-9]\d{0,8}$/.test(text) ? Number(text) : null
  const isNewest = number !== null && number === newest
  const asks = network !== undefined && text !== null && !isNewest
  const revisions = useQuery({ ...revisionsQuery(slug), enabled: asks })
  if (!network) return { kind: 'looking' }
  if (text === null) return newest === undefined ? { kind: 'nothing imported' } : { kind: 'unnamed', newest }
  if (isNewest) return { kind: 'there', number }
  const known = revisions.data?.map((revision) => revision.number)
  if (number !== null && known?.includes(number)) return { kind: 'there', number }
  if (revisions.isError) return { kind: 'failed', error: revisions.error }
  // What was known before may be of before an import.
  if (!known || revisions.isFetching) return { kind: 'looking' }
  return { kind: 'unknown', text, known }
}
