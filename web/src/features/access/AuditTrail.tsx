import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { auditQuery, type AuditAction } from '../../api/queries'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { SearchInput, Select } from '../../ui/fields'
import { moment } from '../../ui/time'

const ACTIONS: AuditAction[] = [
  'import',
  'change',
  'accept',
  'promises',
  'sweep',
  'members',
  'token',
  'network',
]

/** Who did what in the network, the latest first. */
export function AuditTrail({ slug }: { slug: string }) {
  const [action, setAction] = useState<AuditAction | ''>('')
  const [text, setText] = useState('')
  const entries = useQuery(auditQuery(slug, { action: action || undefined, text: text || undefined }))
  return (
    <Panel
      title="Who did what"
      aside={
        <span className="flex items-center gap-3">
          <Select
            room="dense"
            aria-label="Which actions"
            value={action}
            onChange={({ target }) => setAction(target.value as AuditAction | '')}
          >
            <option value="">everything</option>
            {ACTIONS.map((each) => (
              <option key={each}>{each}</option>
            ))}
          </Select>
          <SearchInput label="Search what was done" value={text} onChange={setText} />
          <a href={`/api/networks/${slug}/audit/table`} download={`${slug}-audit.csv`}>
            CSV
          </a>
        </span>
      }
    >
      {entries.isError ? (
        <Problem error={entries.error} />
      ) : entries.isPending ? (
        <Waiting what="Reading the trail" />
      ) : entries.data.length === 0 ? (
        <p>Nothing of this kind was done yet.</p>
      ) : (
        <table className="w-full text-left">
          <thead className="text-soft">
            <tr>
              {['when', 'who', 'from', 'what'].map((each) => (
                <th key={each} scope="col" className="pr-4 font-normal">
                  {each}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {entries.data.map((each) => (
              <tr key={each.id} className="border-t border-line align-top">
                <td className="py-1 pr-4 whitespace-nowrap">{moment(each.created)}</td>
                <td className="py-1 pr-4 whitespace-nowrap">
                  {each.who}
                  {each.token && <span className="text-soft"> by {each.token}</span>}
                </td>
                <td className="py-1 pr-4 font-mono text-[0.92em]">{each.address}</td>
                <td className="py-1 break-words">{each.text}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Panel>
  )
}
