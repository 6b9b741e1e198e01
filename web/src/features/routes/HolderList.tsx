import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { sessionsQuery } from '../../api/queries'
import type { HeldRoute, Holders } from '../../api/types'
import { Mono, Panel } from '../../ui/controls'
import { useLens } from '../lens/lens'
import { Named } from '../lens/Named'
import { hopWords } from '../../wording'

const BARS = ['bg-act', 'bg-warn', 'bg-soft', 'bg-stop', 'bg-ink']

/** Outside networks that speak BGP with us: which of our lines do they take? */
function LookingIn({ device, onChoose }: { device?: string; onChoose: Choose }) {
  const sessions = useQuery(sessionsQuery(useLens()))
  const names = [
    ...new Set(
      sessions.data?.sessions.filter((each) => each.outside && each.remote).map((each) => each.remote ?? ''),
    ),
  ]
  if (names.length === 0) return null
  return (
    <section aria-label="outside networks">
      <h3 className="text-sm font-semibold text-soft">outside networks, seen from there</h3>
      <ul>
        {names.map((name) => (
          <li key={name}>
            <button
              type="button"
              aria-current={name === device}
              onClick={() => onChoose(name, 'default')}
              className="w-full rounded px-2 py-1 text-left hover:bg-sunk aria-[current=true]:bg-chosen-wash"
            >
              <strong>{name}</strong> <span className="text-soft">over which link?</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}

type Choose = (device: string, vrf: string) => void

/** The tables that have a route, by where it leads, and those that have none. */
export function HolderList({
  holders,
  device,
  vrf,
  onChoose,
}: {
  holders: Holders
  device?: string
  vrf: string
  onChoose: Choose
}) {
  return (
    <Panel
      title="Who holds which route"
      aside={
        holders.matched ? (
          <span className="text-soft">
            most specific <Mono>{holders.matched}</Mono>
          </span>
        ) : undefined
      }
      className="min-h-0 overflow-auto"
    >
      {holders.groups.map((group, index) => (
        <section key={`${group.exit} ${group.falls_back}`} aria-label={group.exit} className="mb-3">
          <h3 className="flex items-center gap-2 text-sm font-semibold text-soft">
            <span aria-hidden className={`inline-block h-3 w-5 rounded-sm ${BARS[index % BARS.length]}`} />
            <span>
              {group.exit}
              {group.falls_back && <em className="text-warn not-italic">, by their default route only</em>}
            </span>
          </h3>
          <ul>
            {group.routes.map((route) => (
              <HolderRow
                key={`${route.device} ${route.vrf}`}
                route={route}
                asked={holders.matched}
                current={route.device === device && route.vrf === vrf}
                onChoose={onChoose}
              />
            ))}
          </ul>
        </section>
      ))}
      {holders.lacking.length > 0 && (
        <section aria-label="no route">
          <h3 className="text-sm font-semibold text-stop">✗ no route</h3>
          <ul>
            {holders.lacking.map((each) => (
              <li key={`${each.device} ${each.vrf}`}>
                <button
                  type="button"
                  aria-current={each.device === device && each.vrf === vrf}
                  onClick={() => onChoose(each.device, each.vrf)}
                  className="w-full rounded px-2 py-1 text-left hover:bg-sunk aria-[current=true]:bg-stop-wash"
                >
                  <strong>{tableName(each)}</strong> <span className="text-soft">why none?</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      <LookingIn device={device} onChoose={onChoose} />
    </Panel>
  )
}

const tableName = ({ device, vrf }: { device: string; vrf: string }) =>
  vrf === 'default' ? device : `${device}, VRF ${vrf}`

function HolderRow({
  route,
  asked,
  current,
  onChoose,
}: {
  route: HeldRoute
  asked: string | null
  current: boolean
  onChoose: Choose
}) {
  const shorter = route.prefix !== asked
  const row = useRef<HTMLLIElement>(null)
  useEffect(() => {
    if (current) row.current?.scrollIntoView({ block: 'nearest' })
  }, [current])
  return (
    <li ref={row}>
      <button
        type="button"
        aria-current={current}
        onClick={() => onChoose(route.device, route.vrf)}
        className="grid w-full grid-cols-[8rem_minmax(0,1fr)_5.5rem] items-baseline gap-2 rounded px-2 py-1 text-left hover:bg-sunk aria-[current=true]:bg-chosen-wash"
      >
        <strong className="min-w-0 break-words">{tableName(route)}</strong>
        <span className="min-w-0">
          {route.title}
          {shorter && !route.falls_back && (
            <span className="block font-mono text-[0.8em] text-warn">{route.prefix}</span>
          )}
          <span className="block truncate font-mono text-[0.8em] text-soft" title={hopWords(route)}>
            <Named text={hopWords(route)} />
          </span>
        </span>
        <span className="text-right font-mono text-[0.86em]" title="distance / metric">
          {route.distance}/{route.metric}
        </span>
      </button>
    </li>
  )
}
