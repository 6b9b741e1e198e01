import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { findingNotesQuery, findingsQuery } from '../../api/queries'
import { useLens } from '../lens/lens'
import { causesOf, type Cause } from './causes'

/** The causes of the findings of what is looked at; null until they are known. */
export function useCauses(): { causes: Cause[] | null; error: unknown } {
  const lens = useLens()
  const findings = useQuery({ ...findingsQuery(lens), enabled: lens.revision !== undefined })
  // What is kept with findings is known once they were looked for.
  const notes = useQuery({ ...findingNotesQuery(lens), enabled: findings.isSuccess })
  const causes = useMemo(
    () => (findings.data && (notes.data || notes.isError) ? causesOf(findings.data, notes.data) : null),
    [findings.data, notes.data, notes.isError],
  )
  return { causes, error: findings.error }
}
