import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { Link } from 'react-router'
import { casesQuery, flowQuery, type FlowQuestion } from '../../api/queries'
import type { Direction, Flow } from '../../api/types'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { useAddress, useLens, useLinkTo, usePlace } from '../lens/lens'
import { HopSheet } from './HopSheet'
import { layoutStrip, type HopRef } from './layout'
import { QuestionBar } from './QuestionBar'
import { hopAt, StripView } from './StripView'
import { flowTone, type Tone } from './verdicts'

/** The question the address holds, perhaps only a part of it. */
function useQuestion(): FlowQuestion | null {
  const [params] = useAddress()
  const from = params.get('from')
  const to = params.get('to')
  const as = params.get('as') ?? ''
  const size = Number(params.get('size')) || undefined
  return useMemo(() => (from || to ? { from: from ?? '', to: to ?? '', as, size } : null), [from, to, as, size])
}

export function FlowsPage() {
  const { network } = usePlace()
  const question = useQuestion()
  const [, change] = useAddress()
  const ask = (next: FlowQuestion) =>
    change({ from: next.from, to: next.to, as: next.as, size: next.size ? String(next.size) : null, hop: null })
  if (!network.newest_revision) {
    return (
      <p className="p-4">
        Nothing is imported yet. <Link to={`/n/${network.slug}/import`}>Import device files</Link>, then ask.
      </p>
    )
  }
  return (
    <div className="grid gap-3">
      <QuestionBar key={JSON.stringify(question)} question={question} onAsk={ask} />
      {question?.from && question.to ? <Answer question={question} /> : <Cases />}
    </div>
  )
}

/** Up to so many columns the hop sheet has room beside the strip; else it goes below. */
const BESIDE = 5

function Answer({ question }: { question: FlowQuestion }) {
  const lens = useLens()
  const flow = useQuery(flowQuery(lens, question))
  const [params, change] = useAddress()
  const strip = useMemo(() => (flow.data ? layoutStrip(flow.data) : null), [flow.data])
  if (flow.isError) return <Problem error={flow.error} />
  if (flow.isPending || !strip) return <Waiting what="Following the packets" />
  const selected = parseRef(params.get('hop')) ?? mostTelling(flow.data)
  const shown = hopAt(flow.data, selected) ? selected : mostTelling(flow.data)
  const direction = shown.way === 'forward' ? flow.data.forward : flow.data.return
  const branch = direction?.branches[shown.branch]
  const hop = branch?.hops[shown.hop]
  const long = strip.columns > BESIDE
  return (
    <>
      <VerdictBanner flow={flow.data} />
      <div className={`grid items-start gap-3 ${long ? '' : 'lg:grid-cols-[minmax(0,1fr)_21rem]'}`}>
        <Panel className="min-w-0">
          <StripView flow={flow.data} strip={strip} selected={shown} onSelect={(ref) => change({ hop: `${ref.way}.${ref.branch}.${ref.hop}` })} />
          <Notes flow={flow.data} />
        </Panel>
        {hop && branch && <HopSheet hop={hop} branch={branch} number={shown.hop} wide={long} />}
      </div>
    </>
  )
}

const BANNER: Record<Tone, string> = {
  go: 'border-go bg-go-wash',
  warn: 'border-warn bg-warn-wash',
  stop: 'border-stop bg-stop-wash',
}
const BANNER_MARK: Record<Tone, string> = { go: '✓', warn: '!', stop: '✗' }

function VerdictBanner({ flow }: { flow: Flow }) {
  const how = flowTone(flow)
  const copy = () => void navigator.clipboard.writeText(`${flow.sentence}\n${location.href}`)
  return (
    <div role="status" aria-label="Verdict" className={`flex items-start gap-3 rounded-card border border-l-8 px-3 py-2.5 text-[1.05rem] ${BANNER[how]}`}>
      <span aria-hidden className="font-bold">{BANNER_MARK[how]}</span>
      <p className="flex-1">{flow.sentence}</p>
      <button type="button" onClick={copy} className="shrink-0 text-sm text-soft hover:text-ink hover:underline" title="Copy the sentence and this page's address">Copy for a ticket</button>
    </div>
  )
}

/** What was assumed, and what could not be followed. */
function Notes({ flow }: { flow: Flow }) {
  const ways: [string, Direction | null][] = [['Forward', flow.forward], ['Return', flow.return]]
  const lines = [
    ...new Set([flow.forward.source.note, flow.forward.destination.note].filter(Boolean)),
    ...ways.flatMap(([name, way]) =>
      way && way.unfollowed > 0 ? [`${name}: ${(way.unfollowed * 100).toFixed(2)}% of the traffic was not followed, there are too many branches`] : [],
    ),
  ]
  const { source, destination, branches } = flow.forward
  const mtu = branches.flatMap((branch) => (branch.path_mtu ? [branch.path_mtu] : []))
  return (
    <div className="mt-2 border-t border-line pt-2 text-soft">
      <p>
        Asked: {flow.traffic} from <span className="font-mono">{source.address}</span> to <span className="font-mono">{destination.address}</span>
        {mtu.length > 0 && <>, smallest MTU met forward {Math.min(...mtu)} bytes</>}.
        {' '}Squares are the stages of a hop in order: filled passed, empty nothing configured, turned red stopped it.
      </p>
      {lines.map((line) => <p key={line}>{line}.</p>)}
    </div>
  )
}

function parseRef(text: string | null): HopRef | null {
  const found = /^(forward|return)\.(\d+)\.(\d+)$/.exec(text ?? '')
  return found ? { way: found[1] as HopRef['way'], branch: Number(found[2]), hop: Number(found[3]) } : null
}

/** The hop to show first: where the traffic stops, else where it arrives. */
function mostTelling(flow: Flow): HopRef {
  for (const way of ['forward', 'return'] as const) {
    const direction = way === 'forward' ? flow.forward : flow.return
    const branch = direction?.branches.findIndex((each) => each.cause !== null) ?? -1
    const hops = direction?.branches[branch]?.hops
    if (hops) return { way, branch, hop: hops.length - 1 }
  }
  return { way: 'forward', branch: 0, hop: (flow.forward.branches[0]?.hops.length ?? 1) - 1 }
}

/** The empty screen: what can be asked, and the complaints that came with the network. */
function Cases() {
  const lens = useLens()
  const cases = useQuery(casesQuery(lens))
  const to = useLinkTo()
  if (cases.isPending) return <Waiting what="Opening the network" />
  if (cases.isError) return <Problem error={cases.error} />
  return (
    <Panel title={cases.data.length ? 'Complaints that came with this network' : 'Ask about one flow'}>
      <p className="mb-3 text-soft">
        Name a source and a destination above: a device, device:interface, or an address. Say what it is, as tcp 443; left out, an
        echo request is meant.{cases.data.length > 0 && ' Or take one of these.'}
      </p>
      <ul className="grid gap-2 md:grid-cols-2">
        {cases.data.map((each) => {
          if (!each.question) return null
          const { source, destination, traffic, size } = each.question
          return (
            <li key={each.name}>
              <Link to={to('flows', { from: source, to: destination, as: traffic, size })} className="block h-full rounded-card border border-line bg-paper p-3 text-ink no-underline hover:border-go">
                <strong className="text-go">{each.title}</strong>
                <span className="mt-0.5 block">{each.story}</span>
                <span className="mt-1 block font-mono text-[0.85em] text-soft">{source} → {destination} {traffic}{size ? `, ${size} bytes` : ''}</span>
              </Link>
            </li>
          )
        })}
      </ul>
    </Panel>
  )
}
