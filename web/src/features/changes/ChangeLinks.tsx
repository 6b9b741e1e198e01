import { Link } from 'react-router'
import { useLens, useLinkTo } from '../lens/lens'

/** Where a change leads to: its sheet, its file, and the network seen through it. */
export function ChangeLinks({ name, isMade }: { name: string; isMade: boolean }) {
  const { slug } = useLens()
  const to = useLinkTo()
  const path = encodeURIComponent(name)
  if (!isMade) return null
  return (
    <span className="ml-auto flex flex-wrap gap-4">
      <Link to={to('flows')}>Flows through it</Link>
      <Link to={to('devices/chart')}>Chart</Link>
      <Link to={to(`changes/${path}/sheet`)}>Change sheet</Link>
      <a href={`/api/networks/${slug}/changes/${path}/file`} download={`${name}.yaml`}>
        Change file
      </a>
    </span>
  )
}
