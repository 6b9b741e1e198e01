import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { deviceQuery, findingsQuery } from '../../api/queries'
import type { ChartEnd, ChartSegment } from '../../api/types'
import { Mono, Panel, Problem, Severity, Waiting } from '../../ui/controls'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useFileLink, useLens, useLinkTo } from '../lens/lens'
import { segmentTitle } from '../chart/Lines'
import { rateWords } from '../chart/layers'

/** Everything about one device: interfaces, findings, file, and its table. */
export function DeviceSheet({ name, onUnfold }: { name: string; onUnfold?: (name: string) => void }) {
  const lens = useLens()
  const to = useLinkTo()
  const file = useFileLink()
  const device = useQuery(deviceQuery(lens, name))
  const findings = useQuery(findingsQuery(lens))
  if (device.isPending) return <Waiting what={`Reading ${name}`} />
  if (device.isError) return <Problem error={device.error} />
  const mine = findings.data?.filter((finding) => finding.device === name) ?? []
  const { role, site, description, interfaces } = device.data
  return (
    <Panel
      title={name}
      aside={
        <span className="text-soft">
          {role}
          {site ? `, ${site}` : ''}
        </span>
      }
    >
      {description && <p>{description}</p>}
      <p className="mt-1 flex flex-wrap gap-x-4">
        {device.data.file && <Link to={file(device.data.file, device.data.line)}>Its file</Link>}
        <Link to={to('routes', { table: name })}>Its table</Link>
        <Link to={to('flows', { from: name })}>Ask a flow from here</Link>
        <Link to={to('flows', { to: name })}>… to here</Link>
        {onUnfold && role !== 'host' && (
          <button type="button" className="text-link underline" onClick={() => onUnfold(name)}>
            Its hosts on the chart
          </button>
        )}
      </p>
      {mine.map((finding) => (
        <p key={finding.code + finding.line} className="mt-2">
          <Severity value={finding.severity} /> {finding.text}{' '}
          <EvidenceLink file={finding.file} line={finding.line} />
        </p>
      ))}
      <h3 className="mt-3 font-semibold">{interfaces.length} interfaces</h3>
      <ul className="divide-y divide-line">
        {interfaces.map((port) => (
          <li key={port.name} className="py-1.5">
            <div className="flex items-baseline justify-between gap-2">
              <strong className="font-mono text-[0.92em]">{port.name}</strong>
              <span className={port.up ? 'text-go' : 'font-semibold text-stop'}>
                {port.up ? 'up' : port.enabled ? 'down' : 'shut'}
              </span>
            </div>
            <div className="text-sm">
              {port.addresses.map((address) => (
                <Mono key={address} className="mr-2">
                  {address}
                </Mono>
              ))}
            </div>
            <div className="text-sm text-soft">
              {[
                port.description,
                port.neighbours.length ? `reaches ${port.neighbours.join(', ')}` : '',
                `MTU ${port.mtu} bytes`,
                port.filters_in.length > 0 && `filter in ${port.filters_in.join(', ')}`,
                port.filters_out.length > 0 && `filter out ${port.filters_out.join(', ')}`,
              ]
                .filter(Boolean)
                .join('; ')}{' '}
              <EvidenceLink file={port.file} line={port.line} />
            </div>
          </li>
        ))}
      </ul>
    </Panel>
  )
}

/** One link: who is at its ends, and what each end says about it. */
export function LinkSheet({ segment }: { segment: ChartSegment }) {
  return (
    <Panel
      title={segmentTitle(segment)}
      aside={<span className="text-soft">{segment.stated ? 'stated link' : 'same subnet'}</span>}
    >
      <p className="text-soft">
        <Mono>{segment.name}</Mono>
      </p>
      <ul className="divide-y divide-line">
        {segment.ends.map((end) => (
          <li key={`${end.device}:${end.interface}`} className="py-1.5">
            <div className="flex justify-between">
              <strong>
                {end.device} <Mono>{end.interface}</Mono>
              </strong>
              <span className={end.up ? 'text-go' : 'font-semibold text-stop'}>{end.up ? 'up' : 'down'}</span>
            </div>
            <div className="text-sm">
              {end.addresses.map((address) => (
                <Mono key={address} className="mr-2">
                  {address}
                </Mono>
              ))}
            </div>
            <div className="text-sm text-soft">
              {costWords(end)}; MTU {end.mtu} bytes
              {end.bandwidth_bps ? `; ${rateWords(end.bandwidth_bps)}` : ''}{' '}
              <EvidenceLink file={end.file} line={end.line} />
            </div>
          </li>
        ))}
        {segment.outside.map((end) => (
          <li key={end.address} className="py-1.5">
            <strong>{end.name}</strong>, outside: <Mono>{end.address}</Mono>
          </li>
        ))}
      </ul>
    </Panel>
  )
}

/** What an end counts outward, by protocol. */
function costWords(end: ChartEnd): string {
  const words = end.costs.map(
    ({ protocol, where, cost }) => `${PROTOCOLS[protocol] ?? protocol} ${where}, cost outward ${cost}`,
  )
  return words.join('; ') || 'no link-state protocol here'
}

const PROTOCOLS: Record<string, string> = { ospf: 'OSPF', ospfv3: 'OSPFv3', isis: 'IS-IS' }
