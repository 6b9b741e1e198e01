import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { findingsQuery, flowsOverQuery } from '../../api/queries'
import type { ChartSegment, FlowOver } from '../../api/types'
import { Mono, Panel, Problem, Severity, Waiting } from '../../ui/controls'
import { ChangeIt } from '../changes/ChangeIt'
import { EvidenceLink } from '../lens/EvidenceLink'
import { FailButton } from '../lens/FailButton'
import { useLens, useLinkTo } from '../lens/lens'
import { NamedAddresses } from '../lens/Named'
import { PromisesUsing } from '../promises/PromisesUsing'
import { VERDICT_WORDS, costWords, rateWords, segmentTitle } from '../../wording'

/** One link: who is at its ends, and what each end says about it. */
export function LinkSheet({ segment }: { segment: ChartSegment }) {
  return (
    <Panel
      title={segmentTitle(segment)}
      aside={<span className="text-soft">{segment.stated ? 'stated link' : 'same subnet'}</span>}
    >
      <p className="flex flex-wrap items-center gap-x-3 text-soft">
        <Mono>{segment.name}</Mono>
        <FailButton name={`link:${segment.name}`} what="the link" />
      </p>
      {segment.risk_groups.map(({ name, title }) => (
        <p key={name} className="mt-1 flex flex-wrap items-center gap-x-3 text-soft">
          shares a risk: {title || name} <FailButton name={`group:${name}`} what="all of it" />
        </p>
      ))}
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
              <NamedAddresses addresses={end.addresses} />
            </div>
            <div className="text-sm text-soft">
              {costWords(end)}; MTU {end.mtu} bytes
              {end.bandwidth_bps ? `; ${rateWords(end.bandwidth_bps)}` : ''}{' '}
              <EvidenceLink file={end.file} line={end.line} />
            </div>
            <div className="mt-1 flex flex-wrap gap-2">
              <FailButton name={`interface:${end.device}:${end.interface}`} what="it" />
              <FailButton name={`direction:${end.device}:${end.interface}`} what="what it sends" />
              <ChangeIt
                adding={{ kind: 'place', device: end.device, at: ['interfaces', end.interface] }}
                about={`${end.device} ${end.interface}`}
                label="Change it"
                className="text-sm"
              />
            </div>
          </li>
        ))}
        {segment.outside.map((end) => (
          <li key={end.address} className="py-1.5">
            <strong>{end.name}</strong>, outside: <Mono>{end.address}</Mono>{' '}
            <FailButton name={`line:${end.name}`} what="its line" />
          </li>
        ))}
      </ul>
      <Findings segment={segment} />
      <FlowsOver segment={segment} />
      <PromisesUsing used={{ link: segment.name }} />
    </Panel>
  )
}

/** What is suspicious about the link: findings that cite both of its ends, or one of its interfaces. */
function Findings({ segment }: { segment: ChartSegment }) {
  const findings = useQuery(findingsQuery(useLens()))
  const names = segment.ends.map((end) => `${end.device}:${end.interface}`)
  const mine = (findings.data ?? []).filter((finding) => names.some((name) => mentions(finding.text, name)))
  return mine.map((finding) => (
    <p key={finding.key} className="mt-2">
      <Severity value={finding.severity} /> {finding.text}{' '}
      <EvidenceLink file={finding.file} line={finding.line} />
    </p>
  ))
}

/** Whether a text names an interface, and not one whose name only begins so. */
function mentions(text: string, name: string): boolean {
  const at = text.indexOf(name)
  return at >= 0 && !/[\w/.-]/.test(text[at + name.length] ?? ' ')
}

/** The kept flows that pass the link, worked out when somebody asks. */
function FlowsOver({ segment }: { segment: ChartSegment }) {
  const [asked, setAsked] = useState(false)
  const ends = segment.ends.map((end) => `${end.device}:${end.interface}`)
  const over = useQuery({ ...flowsOverQuery(useLens(), ends), enabled: asked })
  if (!asked) {
    return (
      <button type="button" className="mt-2 text-link underline" onClick={() => setAsked(true)}>
        Kept flows over it
      </button>
    )
  }
  if (over.isError) return <Problem error={over.error} />
  if (over.isPending) return <Waiting what="Following the kept flows" />
  return (
    <div className="mt-2">
      <h3 className="font-semibold">
        {over.data.length === 0 ? 'No kept flow passes it' : `Kept flows over it: ${over.data.length}`}
      </h3>
      <ul className="divide-y divide-line">
        {over.data.map((flow) => (
          <OverRow key={flow.name} flow={flow} />
        ))}
      </ul>
    </div>
  )
}

function OverRow({ flow }: { flow: FlowOver }) {
  const to = useLinkTo()
  const shares = [flow.forward && `there ${flow.forward}`, flow.back && `back ${flow.back}`].filter(Boolean)
  return (
    <li className="py-1 text-sm">
      <Link to={to('flows', { from: flow.source, to: flow.destination, as: flow.traffic })}>
        {flow.source} → {flow.destination} {flow.traffic}
      </Link>
      <span className="block text-soft">
        {flow.name}: {shares.join(', ')}; {VERDICT_WORDS[flow.verdict]}
      </span>
    </li>
  )
}
