import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { whyQuery } from '../../api/queries'
import { Problem } from '../../ui/controls'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens, useLinkTo } from '../lens/lens'
import { Named } from '../lens/Named'

/** Why a table holds the route a packet follows, told in place. */
export function WhyRoute({
  device,
  vrf,
  q,
  none,
}: {
  device: string
  vrf: string
  q: string
  none: boolean
}) {
  const [open, setOpen] = useState(false)
  return (
    <div className="text-sm">
      <button
        type="button"
        className="text-soft underline hover:text-ink"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        {none ? 'why none' : 'why this route'}
      </button>
      {open && <Told device={device} vrf={vrf} q={q} />}
    </div>
  )
}

function Told({ device, vrf, q }: { device: string; vrf: string; q: string }) {
  const why = useQuery(whyQuery(useLens(), q, device, vrf))
  const to = useLinkTo()
  if (why.isError) return <Problem error={why.error} />
  if (why.isPending)
    return (
      <p role="status" className="text-soft">
        Asking {device}…
      </p>
    )
  return (
    <div className="mt-0.5 border-l-2 border-line pl-2">
      <p>
        <Named text={why.data.matched ? why.data.why : (why.data.absent?.sentence ?? why.data.why)} />
      </p>
      <ul>
        {why.data.candidates.map((each, index) => (
          <li key={index}>
            {each.lost_on ? '✗' : '✓'} {each.title}
            {each.advertiser && ` from ${each.advertiser}`}:{' '}
            {each.lost_on
              ? `lost on ${each.rungs.find((rung) => rung.id === each.lost_on)?.title ?? each.lost_on}`
              : 'in use'}{' '}
            <EvidenceLink file={each.file} line={each.line} short />
          </li>
        ))}
      </ul>
      <Link to={to('routes', { q, device, vrf })}>The ladder</Link>
    </div>
  )
}
