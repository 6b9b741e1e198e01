import { ChangeIt } from './ChangeIt'

/** Leads from a line that is cited to its text in a change; where no line is, or one may not, nothing. */
export function EditThere({ file, line }: { file: string | null; line: number | null }) {
  if (!file || !line) return null
  return <ChangeIt adding={{ kind: 'text', file, line }} about={`${file}:${line}`} label="edit there" />
}
