import type { ImportJob } from '../../api/types'
import { Panel } from '../../ui/controls'
import { counted } from '../../wording'
import { ChangedLines } from '../lens/EditLines'

type Difference = NonNullable<NonNullable<ImportJob['answer']>['difference']>

/** What an import would make of the files of the newest revision, device by device. */
export function ImportDifference({ found }: { found: Difference }) {
  const against = found.revision === null ? 'the first revision' : `against revision ${found.revision}`
  return (
    <Panel title={`What would change, ${against}`}>
      <p role="status" aria-label="Difference">
        {found.sentence}
      </p>
      <ul className="mt-1 divide-y divide-line">
        {found.files.map((file) => (
          <li key={file.path} className="py-1.5">
            <details>
              <summary className="grid cursor-pointer grid-cols-[11rem_6rem_1fr_auto] gap-3">
                <strong className="font-semibold">{file.device ?? 'the network'}</strong>
                <span>{file.what}</span>
                <span className="font-mono text-[0.92em] break-all">{file.path}</span>
                <span className="text-soft">{lines(file)}</span>
              </summary>
              {file.edits.length > 0 ? (
                file.edits.map((edit) => (
                  <div key={edit.line} className="mt-1.5">
                    <span className="font-mono text-[0.92em] text-soft">line {edit.line}</span>
                    <ChangedLines before={edit.before} after={edit.after} />
                  </div>
                ))
              ) : (
                <p className="mt-1 text-soft">
                  {file.what === 'changed'
                    ? 'Its lines are too many to be told one by one.'
                    : `The whole file is ${file.what}.`}
                </p>
              )}
            </details>
          </li>
        ))}
      </ul>
    </Panel>
  )
}

function lines(file: Difference['files'][number]): string {
  return [
    file.lines_added > 0 && `${counted(file.lines_added, 'line')} more`,
    file.lines_removed > 0 && `${counted(file.lines_removed, 'line')} less`,
  ]
    .filter(Boolean)
    .join(', ')
}
