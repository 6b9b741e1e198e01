import type { Evidence } from '../../api/types'

/** Evidence of rules that were held against a packet one after the other. */
export type RulesEvidence = Extract<Evidence, { kind: 'filter' | 'steering' }>

/** The rules that a stage tried, where it tried any. */
export function rulesOf(evidence: Evidence | null): RulesEvidence | null {
  return evidence?.kind === 'filter' || evidence?.kind === 'steering' ? evidence : null
}

/** The line that evidence cites; of some kinds there is none. */
export function lineOf(evidence: Evidence | null): { file: string | null; line: number | null } {
  return evidence && 'file' in evidence ? evidence : { file: null, line: null }
}
