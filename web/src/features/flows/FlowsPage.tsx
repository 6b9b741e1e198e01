import { useQuery } from '@tanstack/react-query'
import { useCallback, useMemo, useState } from 'react'
import { Link } from 'react-router'
import { casesQuery, flowQuery, type FlowQuestion } from '../../api/queries'
import type { Direction, Flow } from '../../api/types'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { CaseCard } from '../lens/CaseCard'
import { useLens, useLinkTo, usePlace } from '../lens/lens'
import { useAddress } from '../../ui/address'
import { Before } from './Before'
import { Causes } from './Causes'
import { Compare } from './Compare'
import { Facts } from './Facts'
import { FlowTabs } from './FlowTabs'
import { HopSheet } from './HopSheet'
import { HopTable } from './HopTable'
import { Obstacles } from './Obstacles'
import { addressOf, otherIn, questionIn } from './question'
import { Outcomes } from './Outcomes'
import { QuestionBar } from './QuestionBar'
import { Remedies } from './Remedies'
import { SaveQuestion } from './SaveQuestion'
import type { HopRef } from './strip/graph'
import { hopAt } from './strip/HopTile'
import { merged } from './strip/moments'
import { layoutStrip } from './strip/layout'
import { StripView } from './strip/StripView'
import { useFolds } from './strip/useFolds'
import { flowTone, type Tone } from './verdicts'
import { PageHead } from '../lens/PageHead'
import { Named, useNames } from '../lens/Named'
import { doubtSentence, ticketText, lensWords } from '../../wording'

function useQuestion(): FlowQuestion | null {
  const [params] = useAddress()
  return useMemo(() => questionIn(params), [params])
}

export function FlowsPage() {
  const { network } = usePlace()
  const question = useQuestion()
  const [, change] = useAddress()
  const ask = (next: FlowQuestion) => change({ ...addressOf(next), hop: null, remedies: null, unfold: null })
  if (!network.newest_revision) {
    return (
      <p className="p-4">
        Nothing is imported yet. <Link to={`/n/${network.slug}/import`}>Import device files</Link>, then ask.
      </p>
    )
  }
  return (
    <div className="grid gap-3">
      <PageHead title={question?.from && question.to ? `${question.from} → ${question.to}` : 'Flows'} />
      <div className="print:hidden">
        <FlowTabs />
      </div>
      <div className="print:hidden">
        <QuestionBar question={question} onAsk={ask} />
      </div>
      {question?.from && question.to ? (
        <Answer key={JSON.stringify(question)} question={question} />
      ) : (
        <Cases />
      )}
    </div>
  )
}

/** Up to so many columns the hop sheet has room beside the strip; else it goes below. */
const BESIDE = 5

function Answer({ question }: { question: FlowQuestion }) {
  const { lens, pinned } = usePlace()
  const flow = useQuery(flowQuery(lens, question))
  const before = useQuery({
    ...flowQuery({ slug: lens.slug, ...pinned }, question),
    enabled: Boolean(pinned),
  })
  const shownFlow = useMemo(
    () => (flow.data && pinned && before.data ? merged(flow.data, before.data) : null),
    [flow.data, pinned, before.data],
  )
  const [params, change] = useAddress()
  const { open, turn } = useFolds()
  const drawn = shownFlow ?? flow.data
  const strip = useMemo(() => (drawn ? layoutStrip(drawn, open) : null), [drawn, open])
  const select = useCallback(
    (ref: HopRef) => change({ hop: `${ref.way}.${ref.branch}.${ref.hop}` }),
    [change],
  )
  if (flow.isError) return <Problem error={flow.error} />
  if (flow.isPending || !strip || !drawn) return <Waiting what="Following the packets" />
  const chosen = parseRef(params.get('hop'))
  const shown = chosen && hopAt(drawn, chosen) ? chosen : deciding(flow.data)
  const direction = shown.way === 'forward' ? drawn.forward : drawn.return
  const branch = direction?.branches[shown.branch]
  const hop = branch?.hops[shown.hop]
  const table = params.get('as_table') === 'yes'
  const long = table || strip.columns > BESIDE
  if (flow.data.classes.length > 0) {
    return (
      <>
        <VerdictBanner flow={flow.data} question={question} />
        <Causes flow={flow.data} question={question} />
      </>
    )
  }
  const arrives = flowTone(flow.data) === 'go'
  const switchover = (
    <StripOrTable table={table} onChange={(wanted) => change({ as_table: wanted ? 'yes' : null })} />
  )
  return (
    <>
      <VerdictBanner
        flow={flow.data}
        question={question}
        device={chosen && hop && !hop.outside ? hop.device : undefined}
      />
      {before.isError && <Problem error={before.error} what="The second lens is not shown." />}
      {pinned && shownFlow && before.data && (
        <Before flow={before.data} moved={shownFlow.moved} pinned={pinned} />
      )}
      {flow.data.doubt && <Outcomes doubt={flow.data.doubt} />}
      <div className={`grid items-start gap-3 ${long ? '' : 'lg:grid-cols-[minmax(0,1fr)_21rem]'}`}>
        <Panel className="min-w-0">
          <Facts flow={flow.data} />
          {table ? (
            <>
              <div className="float-right">{switchover}</div>
              <HopTable flow={flow.data} onSelect={select} />
            </>
          ) : (
            <StripView
              flow={drawn}
              outcome={flow.data.doubt?.outcomes[0]}
              strip={strip}
              selected={shown}
              onSelect={select}
              open={open}
              onFold={turn}
              aside={switchover}
            />
          )}
          <Notes flow={flow.data} />
        </Panel>
        {hop && branch && direction && (
          <HopSheet
            hop={hop}
            branch={branch}
            number={shown.hop}
            wide={long}
            why={chosen === null ? flow.data.decides.why : null}
          />
        )}
      </div>
      <Obstacles flow={flow.data} />
      <div className="grid gap-3 print:hidden">
        {!arrives && <Remedies question={question} />}
        <Compare question={question} flow={flow.data} />
      </div>
    </>
  )
}

/** The answer drawn, or as a table. */
function StripOrTable({ table, onChange }: { table: boolean; onChange: (table: boolean) => void }) {
  const look = (on: boolean) =>
    `px-2 py-0.5 ${on ? 'bg-chosen-wash font-semibold text-ink' : 'text-soft hover:bg-sunk'}`
  return (
    <div
      role="group"
      aria-label="How the answer is shown"
      className="flex overflow-hidden rounded-tile border border-line text-sm print:hidden"
    >
      <button type="button" aria-pressed={!table} className={look(!table)} onClick={() => onChange(false)}>
        Strip
      </button>
      <button type="button" aria-pressed={table} className={look(table)} onClick={() => onChange(true)}>
        Table
      </button>
    </div>
  )
}

const BANNER: Record<Tone, string> = {
  go: 'border-go bg-go-wash',
  warn: 'border-warn bg-warn-wash',
  stop: 'border-stop bg-stop-wash',
}
const BANNER_MARK: Record<Tone, string> = { go: '✓', warn: '!', stop: '✗' }

type BannerProps = { flow: Flow; question: FlowQuestion; device?: string }

function VerdictBanner({ flow, question, device }: BannerProps) {
  const how = flow.doubt && flowTone(flow) === 'go' ? 'warn' : flowTone(flow)
  const { network, lens } = usePlace()
  const [saving, setSaving] = useState(false)
  const [copied, setCopied] = useState(false)
  const names = useNames()
  const to = useLinkTo()
  const [params] = useAddress()
  // The same hop is chosen there, and the same other flow compared.
  const { other_from, other_to, other_as } = otherIn(params, question) ?? {}
  const onChart = { ...addressOf(question), other_from, other_to, other_as, device }
  const copy = () =>
    void navigator.clipboard
      .writeText(ticketText(flow, { network: network.title, lens, address: location.href }, names))
      .then(() => setCopied(true))
  const action = 'shrink-0 text-sm text-soft hover:text-ink hover:underline'
  return (
    <>
      <div
        id="answer"
        tabIndex={-1}
        role="status"
        aria-label="Verdict"
        className={`flex items-start gap-x-3 gap-y-1 max-md:flex-wrap rounded-card border border-l-8 px-3 py-2.5 text-[1.05rem] ${BANNER[how]}`}
      >
        <span aria-hidden className="font-semibold">
          {BANNER_MARK[how]}
        </span>
        <p className="flex-1 max-md:basis-[85%]">
          <Named text={flow.doubt ? doubtSentence(flow.doubt) : flow.sentence} />
        </p>
        <span className="flex gap-4 print:hidden">
          {flow.classes.length === 0 && (
            <Link to={to('devices/chart', onChart)} className={action}>
              On the chart
            </Link>
          )}
          {network.role !== 'viewer' && (
            <button type="button" onClick={() => setSaving(true)} className={action}>
              Save
            </button>
          )}
          <button
            type="button"
            onClick={copy}
            className={action}
            title="Copy the answer as text, with this page's address"
          >
            {copied ? 'Copied' : 'Copy for a ticket'}
          </button>
          <button type="button" onClick={() => window.print()} className={action}>
            Print
          </button>
        </span>
      </div>
      {saving && <SaveQuestion question={question} onDone={() => setSaving(false)} />}
    </>
  )
}

/** What was assumed, and what could not be followed. */
function Notes({ flow }: { flow: Flow }) {
  const ways: [string, Direction | null][] = [
    ['Forward', flow.forward],
    ['Return', flow.return],
  ]
  const lines = [
    ...new Set([flow.forward.source.note, flow.forward.destination.note].filter(Boolean)),
    ...ways.flatMap(([name, way]) =>
      way && way.unfollowed > 0
        ? [
            `${name}: ${(way.unfollowed * 100).toFixed(2)}% of the traffic was not followed, there are too many paths`,
          ]
        : [],
    ),
  ]
  const { source, destination } = flow.forward
  const lens = useLens()
  return (
    <div className="mt-2 border-t border-line pt-2 text-soft">
      <p>
        Asked of {lensWords(lens)}: {flow.traffic} from{' '}
        <span className="font-mono">
          <Named text={source.address} />
        </span>{' '}
        to{' '}
        <span className="font-mono">
          <Named text={destination.address} />
        </span>
        . Squares are the stages of a hop in order: filled: passed; empty: nothing configured; red: dropped
        here.
      </p>
      {lines.map((line) => (
        <p key={line}>{line}.</p>
      ))}
    </div>
  )
}

function parseRef(text: string | null): HopRef | null {
  const found = /^(forward|return)\.(\d+)\.(\d+)$/.exec(text ?? '')
  return found ? { way: found[1] as HopRef['way'], branch: Number(found[2]), hop: Number(found[3]) } : null
}

/** The hop to show first: the one that decides. */
function deciding(flow: Flow): HopRef {
  const { direction, branch, hop } = flow.decides
  return { way: direction, branch, hop }
}

/** The empty screen: what can be asked, and the complaints that came with the network. */
function Cases() {
  const lens = useLens()
  const cases = useQuery(casesQuery(lens))
  if (cases.isPending) return <Waiting what="Opening the network" />
  if (cases.isError) return <Problem error={cases.error} />
  return (
    <Panel title={cases.data.length ? 'Complaints that came with this network' : 'Ask about one flow'}>
      <p className="mb-3 text-soft">
        Name a source and a destination above: a device, device:interface, or an address. Say what it is, as
        tcp 443; left out, ping is assumed.{cases.data.length > 0 && ' Or take one of these.'}
      </p>
      <ul className="grid gap-2 md:grid-cols-2">
        {cases.data.map((each) => {
          if (!each.question) return null
          const { source, destination, traffic, size } = each.question
          return (
            <li key={each.name}>
              <CaseCard
                complaint={each}
                page="flows"
                query={{ from: source, to: destination, as: traffic, size }}
                asks={`${source} → ${destination} ${traffic}${size ? `, ${size} bytes` : ''}`}
              />
            </li>
          )
        })}
      </ul>
    </Panel>
  )
}
