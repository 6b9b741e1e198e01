import { Link } from 'react-router'
import { useFileLink } from './lens'

/** The file and line an answer cites; opens the file there. Short where the file is plain. */
export function EvidenceLink({
  file,
  line,
  short = false,
}: {
  file?: string | null
  line?: number | null
  short?: boolean
}) {
  const link = useFileLink()
  if (!file || !line) return null
  return (
    <Link to={link(file, line)} className="font-mono text-[0.85em] break-words">
      {short ? `line ${line}` : `${file.replace(/^devices\//, '')}:${line}`}
    </Link>
  )
}
