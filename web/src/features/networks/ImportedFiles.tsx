import type { ImportJob } from '../../api/types'
import { Panel } from '../../ui/controls'
import { ListColumns } from './ListColumns'

type File = NonNullable<NonNullable<ImportJob['answer']>['files']>[number]

const TONES: Record<File['verdict'], string> = {
  read: 'text-go',
  partly: 'text-warn',
  refused: 'text-stop',
}
const ORDER: File['verdict'][] = ['refused', 'partly', 'read']

/** What became of every file of an import, what was not understood first; whole ones in a line. */
export function ImportedFiles({ id, files }: { id: number; files: File[] }) {
  const devices = new Map<string, File[]>()
  for (const file of files) {
    const name = file.device ?? ''
    devices.set(name, [...(devices.get(name) ?? []), file])
  }
  const worst = (members: File[]) => Math.min(...members.map((file) => ORDER.indexOf(file.verdict)))
  const groups = [...devices].sort(
    ([a, left], [b, right]) => worst(left) - worst(right) || a.localeCompare(b),
  )
  const count = (verdict: File['verdict']) => files.filter((file) => file.verdict === verdict).length
  return (
    <Panel
      title={`${files.length} files: ${ORDER.filter(count)
        .map((word) => `${count(word)} ${word}`)
        .join(', ')}`}
    >
      <ul className="divide-y divide-line" aria-label="Files of the import">
        {groups.map(([device, members]) => (
          <li key={device} className="grid grid-cols-[10rem_1fr] gap-3 py-2">
            <span className="font-semibold">
              {device || 'the network'}
              <span className="block font-normal text-soft">
                {[...new Set(members.map((file) => file.format ?? 'unknown format'))].join(', ')}
              </span>
            </span>
            <ul>
              {members
                .filter((file) => file.verdict !== 'read' || file.messages.length > 0)
                .map((file) => (
                  <li key={file.path}>
                    <span className="font-mono text-[0.92em]">{file.path}</span>{' '}
                    <span className={TONES[file.verdict]}>{file.verdict}</span>
                    {file.columns && <ListColumns id={id} columns={file.columns} />}
                    <ul className="ml-4 list-disc text-soft">
                      {file.messages.map((message, index) => (
                        <li key={index} className="break-words">
                          {message.line !== null && <span className="font-mono">line {message.line}: </span>}
                          {message.text}
                        </li>
                      ))}
                    </ul>
                  </li>
                ))}
              <Whole files={members.filter((file) => file.verdict === 'read' && !file.messages.length)} />
            </ul>
          </li>
        ))}
      </ul>
    </Panel>
  )
}

function Whole({ files }: { files: File[] }) {
  if (files.length === 0) return null
  const shown = files.slice(0, 4).map((file) => file.path.split('/').at(-1))
  const more = files.length > 4 ? ` and ${files.length - 4} more` : ''
  return (
    <li title={files.map((file) => file.path).join('\n')}>
      <span className="font-mono text-[0.92em]">{shown.join(', ')}</span>
      {more} <span className={TONES.read}>read</span>
    </li>
  )
}
