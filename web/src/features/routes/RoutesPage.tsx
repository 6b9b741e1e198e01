import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import { casesQuery, chartQuery, holdersQuery } from '../../api/queries'
import { Button, Panel, Problem, Waiting } from '../../ui/controls'
import { CaseCard } from '../lens/CaseCard'
import { useLens, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { useAddress } from '../../ui/address'
import { HolderList } from './HolderList'
import { RouteTabs } from './RouteTabs'
import { RouteTable, tablesTitle } from './RouteTable'
import { WhyPanel } from './WhyPanel'
import { WhyBefore } from './WhyBefore'
import { sortedByName } from '../../ui/natural'
import { Input, Select } from '../../ui/fields'
import { Named } from '../lens/Named'

/** A destination seen from every device; or one device's whole table, perhaps beside another's. */
export function RoutesPage() {
  const { network } = usePlace()
  const [params, change] = useAddress()
  const q = params.get('q')
  const table = params.get('table')
  if (!network.newest_revision) {
    return (
      <p className="p-4">
        Nothing is imported yet. <Link to={`/n/${network.slug}/import`}>Import device files</Link>, then ask.
      </p>
    )
  }
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 max-md:min-h-[36rem]">
      <PageHead title={titleOf(q, table, params)} />
      <RouteTabs />
      <DestinationBar
        key={q ?? table}
        q={q ?? ''}
        onAsk={(next) => change({ q: next, table: null, other: null })}
      />
      {table ? <RouteTable key={table} device={table} /> : q ? <Answer q={q} /> : <Start />}
    </div>
  )
}

function titleOf(q: string | null, table: string | null, params: URLSearchParams): string {
  const [device, other] = [params.get('device'), params.get('other')]
  if (table) return tablesTitle(table, other)
  if (q) return device ? `${q} at ${device}` : `Routes to ${q}`
  return 'Routes'
}

function DestinationBar({ q, onAsk }: { q: string; onAsk: (q: string) => void }) {
  const [text, setText] = useState(q)
  const [params, change] = useAddress()
  const chart = useQuery(chartQuery(useLens()))
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (text.trim()) onAsk(text.trim())
  }
  return (
    <form
      onSubmit={submit}
      role="search"
      aria-label="Ask for routes"
      className="flex flex-wrap items-center gap-2 rounded-card border border-line bg-card p-2.5"
    >
      <label className="flex items-center gap-2 text-soft">
        address or prefix
        <Input
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-label="address or prefix"
          autoComplete="off"
          spellCheck={false}
          placeholder="10.64.7.21 or 10.64.7.0/24"
          mono
          className="w-72"
        />
      </label>
      <Button type="submit" tone="main" className="px-5" disabled={!text.trim()}>
        Ask
      </Button>
      <div className="flex-1" />
      <label className="flex items-center gap-2 text-soft">
        or the whole table of
        <Select
          aria-label="whole table of"
          value={params.get('table') ?? ''}
          onChange={(event) =>
            change({ table: event.target.value || null, q: null, device: null, vrf: null, other: null })
          }
        >
          <option value="">a device</option>
          {sortedByName(chart.data?.devices ?? [], (device) => device.name).map((device) => (
            <option key={device.name}>{device.name}</option>
          ))}
        </Select>
      </label>
    </form>
  )
}

function Start() {
  const cases = useQuery(casesQuery(useLens()))
  return (
    <Panel title="Who holds which route, and why">
      <p className="max-w-prose">
        Name an address, and see which route every device would take for it, where that traffic leaves, and
        which devices follow no more than their default. Name a prefix to see who holds exactly that one.
        Choose a device in the answer for its candidates, rung by rung, or for the reason why it has no route.
      </p>
      <ul className="mt-3 grid gap-2 md:grid-cols-2">
        {cases.data?.map(
          (each) =>
            each.route && (
              <li key={each.name}>
                <CaseCard
                  complaint={each}
                  page="routes"
                  query={{ q: each.route.to, device: each.route.at }}
                  asks={`${each.route.to} at ${each.route.at}`}
                />
              </li>
            ),
        )}
      </ul>
    </Panel>
  )
}

function Answer({ q }: { q: string }) {
  const holders = useQuery(holdersQuery(useLens(), q))
  const [params, change] = useAddress()
  if (holders.isError) return <Problem error={holders.error} />
  if (holders.isPending) return <Waiting what="Looking at every table" />
  const first = holders.data.groups[0]?.routes[0] ?? holders.data.lacking[0]
  const device = params.get('device') ?? first?.device
  const vrf = params.get('vrf') ?? (params.get('device') ? 'default' : (first?.vrf ?? 'default'))
  return (
    <>
      <p
        role="status"
        aria-label="Who holds it"
        className="rounded-card border border-l-8 border-line bg-card px-3 py-2 text-[1.05rem]"
      >
        <Named text={holders.data.sentence} />
      </p>
      <div className="grid min-h-0 flex-1 gap-3 lg:grid-cols-[minmax(20rem,27rem)_minmax(0,1fr)]">
        <HolderList
          holders={holders.data}
          device={device}
          vrf={vrf}
          onChoose={(name, table) => change({ device: name, vrf: table === 'default' ? null : table })}
        />
        <div className="min-h-0 min-w-0 overflow-auto">
          {device && (
            <div className="grid gap-3">
              <WhyPanel q={q} device={device} vrf={vrf} />
              <WhyBefore q={q} device={device} vrf={vrf} />
            </div>
          )}
        </div>
      </div>
    </>
  )
}
