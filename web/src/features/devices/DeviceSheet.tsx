import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { deviceQuery, findingsQuery } from '../../api/queries'
import { Panel, Problem, Severity, Waiting } from '../../ui/controls'
import { ChangeIt } from '../changes/ChangeIt'
import { EvidenceLink } from '../lens/EvidenceLink'
import { FailButton } from '../lens/FailButton'
import { useFileLink, useLens, useLinkTo } from '../lens/lens'
import { NamedAddresses } from '../lens/Named'
import { PromisesUsing } from '../promises/PromisesUsing'

/** Everything about one device: interfaces, findings, file, and its table. */
type DeviceSheetProps = {
  name: string
  onUnfold?: (name: string) => void
  /** Folds the device's site on the chart, or unfolds it. */
  onFoldSite?: (site: string) => void
}

export function DeviceSheet({ name, onUnfold, onFoldSite }: DeviceSheetProps) {
  const lens = useLens()
  const to = useLinkTo()
  const file = useFileLink()
  const device = useQuery(deviceQuery(lens, name))
  const findings = useQuery(findingsQuery(lens))
  if (device.isPending) return <Waiting what={`Reading ${name}`} />
  if (device.isError) return <Problem error={device.error} />
  const mine = findings.data?.filter((finding) => finding.device === name) ?? []
  const { role, site, description, interfaces, sources } = device.data
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
        <ChangeIt
          adding={{ kind: 'place', device: name, at: [] }}
          about={name}
          label="Change it"
          className="underline"
        />
        <Link to={to('flows', { from: name })}>Ask a flow from here</Link>
        <Link to={to('flows', { to: name })}>… to here</Link>
        {onUnfold && role !== 'host' && (
          <button type="button" className="text-link underline" onClick={() => onUnfold(name)}>
            Its hosts on the chart
          </button>
        )}
        {onFoldSite && site && (
          <button type="button" className="text-link underline" onClick={() => onFoldSite(site)}>
            Fold its site, or unfold it
          </button>
        )}
      </p>
      <p className="mt-2 flex flex-wrap gap-2">
        <FailButton name={`device:${name}`} what="the device" />
        {site && <FailButton name={`site:${site}`} what="its site" />}
      </p>
      <PromisesUsing used={{ device: name }} />
      {mine.map((finding) => (
        <p key={finding.code + finding.line} className="mt-2">
          <Severity value={finding.severity} /> {finding.text}{' '}
          <EvidenceLink file={finding.file} line={finding.line} />
        </p>
      ))}
      {sources.length > 1 && (
        <section aria-label="Whose word counts" className="mt-3">
          <h3 className="font-semibold">Whose word counts</h3>
          <ul>
            {sources.map((source) => (
              <li key={source.about} className={`text-sm ${source.counts ? '' : 'text-soft'}`}>
                <strong className="font-semibold">{source.about}</strong>: {source.text}{' '}
                <EvidenceLink file={source.file} line={source.line} />
              </li>
            ))}
          </ul>
        </section>
      )}
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
              <NamedAddresses addresses={port.addresses} />
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
