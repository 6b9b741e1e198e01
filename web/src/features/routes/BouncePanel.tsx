import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { bounceQuery } from '../../api/queries'
import { Button, Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { useEscape } from '../../ui/useEscape'
import { tableName } from '../../wording'
import { useLens, useLinkTo } from '../lens/lens'
import { PromisesUsing } from '../promises/PromisesUsing'

type Session = { device: string; vrf: string; neighbour: string }

/** One session goes down and comes up again: what moves meanwhile, and what stays otherwise? */
export function BouncePanel({ onClose, ...session }: Session & { onClose: () => void }) {
  useEscape(onClose)
  return (
    <Panel
      title={`If the session of ${session.device} with ${session.neighbour} bounces`}
      aside={<Button onClick={onClose}>Close</Button>}
      className="max-h-72 shrink-0 overflow-auto"
    >
      <Answer {...session} />
      <PromisesUsing used={{ device: session.device, neighbour: session.neighbour }} />
    </Panel>
  )
}

function Answer({ device, vrf, neighbour }: Session) {
  const answer = useQuery(bounceQuery(useLens(), device, vrf, neighbour))
  const to = useLinkTo()
  if (answer.isError) return <Problem error={answer.error} />
  if (answer.isPending) return <Waiting what="Shutting it, and bringing it up again" />
  const { sentence, while_down: down, afterwards, routes, routes_in_all: all } = answer.data
  return (
    <>
      <p role="status" aria-label="Bounce">
        {sentence}
      </p>
      <p className="text-sm text-soft">
        {down && <>While it is down, it {down.text}.</>}{' '}
        {afterwards && routes.length > 0 && <>Once it is back, it {afterwards.text}.</>}
      </p>
      {routes.length > 0 && (
        <table className="mt-2 w-full text-left">
          <thead>
            <tr className="text-sm text-soft">
              <th>device</th>
              <th>prefix</th>
              <th>before</th>
              <th>afterwards</th>
            </tr>
          </thead>
          <tbody>
            {routes.map((row) => (
              <tr key={`${row.device} ${row.vrf} ${row.prefix}`} className="border-t border-line align-top">
                <td className="py-1 pr-3 font-semibold">{tableName(row.device, row.vrf)}</td>
                <td className="py-1 pr-3">
                  <Link
                    to={to('routes', {
                      q: row.prefix,
                      device: row.device,
                      vrf: row.vrf === 'default' ? null : row.vrf,
                    })}
                  >
                    <Mono>{row.prefix}</Mono>
                  </Link>
                </td>
                <td className="py-1 pr-3">{row.before}</td>
                <td className="py-1">{row.after}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {all > routes.length && <p className="text-sm text-soft">And {all - routes.length} more.</p>}
    </>
  )
}
