import type { EditedLines } from '../../api/types'
import { Mono } from '../../ui/controls'
import { EvidenceLink } from './EvidenceLink'

/** What an edit does to files: the lines that go and the lines that come, each run under its place. */
export function EditLines({ edits }: { edits: EditedLines[] }) {
  return edits.map((edit) => (
    <div key={`${edit.file} ${edit.line}`} className="mt-1.5">
      <EvidenceLink file={edit.file} line={edit.line} />
      <ChangedLines before={edit.before} after={edit.after} />
    </div>
  ))
}

/** The lines that go and those that come in one place. */
export function ChangedLines({ before, after }: { before: string; after: string }) {
  return (
    <pre className="mt-0.5 rounded-md border border-line bg-card px-2 py-1 text-sm whitespace-pre-wrap">
      {before && <Lines sign="−" look="text-stop" text={before} />}
      {after && <Lines sign="+" look="text-go" text={after} />}
    </pre>
  )
}

/** Lines keep how far they stand inside one another, not how far inside their file. */
function Lines({ sign, look, text }: { sign: string; look: string; text: string }) {
  const lines = text.split('\n')
  const margin = Math.min(...lines.filter((line) => line.trim()).map((line) => line.search(/\S/)))
  return lines.map((line, index) => (
    <Mono key={index} className={`block pl-4 -indent-4 break-words ${look}`}>
      {sign} {line.slice(margin)}
    </Mono>
  ))
}
