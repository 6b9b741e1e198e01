import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { findingsQuery } from '../../api/queries'
import type { Finding, Flow } from '../../api/types'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens } from '../lens/lens'

/** So many findings are told at once; the others on demand. */
const TOLD = 2

/** What an answer tells at a glance, and what is not well at the devices on the way. */
export function Facts({ flow }: { flow: Flow }) {
  const findings = useQuery(findingsQuery(useLens()))
  const [all, setAll] = useState(false)
  const unwell = notWell(flow, findings.data ?? [])
  const shown = all ? unwell : unwell.slice(0, TOLD)
  return (
    <div className="mb-2 border-b border-line pb-2">
      <p aria-label="At a glance">{flow.facts.join(' ')}</p>
      {unwell.length > 0 && (
        <div className="text-soft">
          Not well on the way:
          <ul className="ml-4 list-disc">
            {shown.map((finding) => (
              <li key={`${finding.file} ${finding.line} ${finding.text}`}>
                {finding.text} <EvidenceLink file={finding.file} line={finding.line} />
              </li>
            ))}
          </ul>
          {unwell.length > TOLD && (
            <button type="button" className="ml-4 text-link hover:underline" onClick={() => setAll(!all)}>
              {all ? 'fewer' : `${unwell.length - TOLD} more`}
            </button>
          )}
        </div>
      )}
    </div>
  )
}

/** Errors and warnings that concern a device on the way; of several, those of two such devices first. */
function notWell(flow: Flow, findings: Finding[]): Finding[] {
  const met = new Set<string>()
  for (const way of [flow.forward, flow.return])
    for (const branch of way?.branches ?? []) for (const hop of branch.hops) met.add(hop.device)
  const touches = (finding: Finding) => finding.devices.filter((device) => met.has(device)).length
  return findings
    .filter((finding) => finding.severity !== 'note' && touches(finding) > 0)
    .sort((a, b) => touches(b) - touches(a))
}
