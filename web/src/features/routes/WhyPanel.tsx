import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { whyQuery } from '../../api/queries'
import type { Absence, Candidate, Why } from '../../api/types'
import { Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { EditThere } from '../changes/EditThere'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens, useLinkTo } from '../lens/lens'
import { WouldTakePanel } from './WouldTakePanel'
import { depth, ladderRungs, neighbourOf } from './ladder'
import { Named } from '../lens/Named'
import { hopWords } from '../../wording'

/** Why one device chose its route, or why it has none; `before`: in what other lens, in words. */
export function WhyPanel({
  q,
  device,
  vrf,
  before,
}: {
  q: string
  device: string
  vrf: string
  before?: string
}) {
  const why = useQuery(whyQuery(useLens(), q, device, vrf))
  const to = useLinkTo()
  if (why.isError) return <Problem error={why.error} />
  if (why.isPending) return <Waiting what={`Asking ${device}`} />
  const count = why.data.candidates.length
  const ours = why.data.vrf !== '' // an outside network has no table of ours
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <Panel
        title={whyTitle(device, why.data.matched !== null, before)}
        className={before ? 'border-dashed' : ''}
        aside={
          <span className="flex gap-4 text-soft">
            <span>{count === 1 ? '1 candidate' : `${count} candidates`}</span>
            {ours && <Link to={to('routes', { table: device })}>Its whole table</Link>}
          </span>
        }
      >
        <p className="mb-2">
          <Named text={why.data.matched ? why.data.why : (why.data.absent?.sentence ?? why.data.why)} />
        </p>
        {why.data.doubt && (
          <p role="note" className="mb-2 rounded-card border border-warn bg-warn-wash px-2 py-1">
            <strong className="text-warn">! Not certain.</strong> {why.data.doubt}
          </p>
        )}
        {count > 0 && <Ladder candidates={why.data.candidates} />}
      </Panel>
      {why.data.absent && <Chain absent={why.data.absent} specific={why.data.matched !== null} />}
      {why.data.matched && why.data.redistributions.length > 0 && (
        <Panel title="What it does with it">
          <Steps steps={why.data.redistributions} />
        </Panel>
      )}
      {!before && ours && why.data.matched && why.data.candidates.some((each) => each.lost_on) && (
        <WouldTakePanel
          key={`${why.data.matched} ${device} ${vrf}`}
          prefix={why.data.matched}
          device={device}
          vrf={vrf}
        />
      )}
      {!before && <Behind why={why.data} q={q} />}
    </div>
  )
}

function whyTitle(device: string, has: boolean, before?: string): string {
  if (before)
    return has ? `Before (${before}): why ${device} chose it` : `Before (${before}): why ${device} had none`
  return has ? `Why ${device} chose it` : `Why ${device} has none`
}

/** More columns than this do not fit; the rest is told. */
const COLUMNS = 5

/** Candidates as columns, rungs as rows; a candidate is out where it lost, and nothing stands below. */
export function Ladder({ candidates }: { candidates: Candidate[] }) {
  const shown = candidates.slice(0, COLUMNS)
  const ids = shown[0]?.rungs.map((rung) => rung.id) ?? []
  const rungs = ladderRungs(shown)
  return (
    <>
      <div className="overflow-x-auto">
        <table className="w-full border-collapse text-left">
          <caption className="sr-only">Candidates as columns, rungs as rows</caption>
          <thead>
            <tr className="border-b border-line align-bottom">
              <th scope="col" className="w-36 px-2 py-1 text-sm font-semibold text-soft">
                rung
              </th>
              {shown.map((candidate, index) => (
                <th key={index} scope="col" className="min-w-32 px-2 py-1">
                  <span className="block">{candidate.title}</span>
                  {candidate.advertiser && (
                    <span className="block text-sm font-normal text-soft">from {candidate.advertiser}</span>
                  )}
                  {neighbourOf(candidate) && (
                    <Mono className="block text-sm font-normal text-soft">{neighbourOf(candidate)}</Mono>
                  )}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rungs.map((rung) => (
              <tr key={rung.id} className="border-b border-line/60 align-top">
                <th scope="row" className="px-2 py-1 font-normal text-soft">
                  {rung.title}
                </th>
                {shown.map((candidate, index) => (
                  <Rung key={index} candidate={candidate} at={ids.indexOf(rung.id)} ids={ids} />
                ))}
              </tr>
            ))}
            <tr className="align-top">
              <th scope="row" className="px-2 py-1 font-semibold">
                in use
              </th>
              {shown.map((candidate, index) => (
                <td
                  key={index}
                  className={`px-2 py-1.5 ${candidate.lost_on === null ? 'bg-go-wash font-semibold' : 'text-soft'}`}
                >
                  {candidate.lost_on === null ? (
                    <>
                      ✓{' '}
                      <Named
                        text={hopWords({ next_hops: candidate.next_hops, discard: candidate.values.discard })}
                      />
                    </>
                  ) : (
                    '✗ no'
                  )}
                  <span className="block font-normal">
                    <EvidenceLink file={candidate.file} line={candidate.line} />{' '}
                    <EditThere file={candidate.file} line={candidate.line} />
                  </span>
                  {candidate.also.map((line) => (
                    <span key={`${line.file}:${line.line}`} className="block text-sm font-normal">
                      heard by <EvidenceLink file={line.file} line={line.line} />
                    </span>
                  ))}
                  {candidate.values.set_by?.map((one) => (
                    <span key={one.attribute} className="mt-1 block text-sm font-normal">
                      {one.attribute} {one.value} set by {one.statement} of {one.policy} at {one.device}{' '}
                      <EvidenceLink file={one.file} line={one.line} short />
                    </span>
                  ))}
                </td>
              ))}
            </tr>
          </tbody>
        </table>
      </div>
      {candidates.length > COLUMNS && (
        <p className="mt-1 text-soft">and {candidates.length - COLUMNS} more that lost</p>
      )}
    </>
  )
}

const HATCH = {
  backgroundImage: 'repeating-linear-gradient(135deg, transparent 0 6px, var(--color-line) 6px 7px)',
}

function Rung({ candidate, at, ids }: { candidate: Candidate; at: number; ids: string[] }) {
  const out = depth(candidate, ids)
  const text = candidate.rungs[at]?.text ?? ''
  if (at > out)
    return (
      <td className="px-2 py-1 opacity-60" style={HATCH}>
        <span className="sr-only">out before this rung</span>
      </td>
    )
  if (at === out) {
    return (
      <td className="bg-warn-wash px-2 py-1">
        {candidate.lost_on === 'usable' ? text : <s>{text}</s>}{' '}
        <strong className="text-sm text-warn">eliminated here</strong>
      </td>
    )
  }
  return <td className="px-2 py-1">{text || <span className="text-soft">–</span>}</td>
}

/** From where a route begins to what stopped it. */
function Chain({ absent, specific }: { absent: Absence; specific: boolean }) {
  return (
    <Panel title={specific ? 'Why it has no specific route' : 'How far the route got'}>
      {specific && <p className="mb-2">{absent.sentence}</p>}
      {absent.reached.length > 0 && (
        <p className="mb-2 flex flex-wrap items-center gap-1">
          {absent.reached.map((name) => (
            <span key={name} className="rounded border border-go bg-go-wash px-2 py-0.5">
              ✓ {name}
            </span>
          ))}
          {absent.stopped_between && (
            <>
              <span aria-hidden>→</span>
              <span className="rounded border border-stop bg-stop-wash px-2 py-0.5">
                ✗ {absent.stopped_between[1]}
              </span>
            </>
          )}
        </p>
      )}
      <Steps steps={absent.steps} />
    </Panel>
  )
}

const GIVEN = ['origin', 'last_holder', 'taken']

/** What holds and what stops, each with its line. */
function Steps({ steps }: { steps: Absence['steps'] }) {
  return (
    <ol className="divide-y divide-line">
      {steps.map((step, index) => {
        const given = GIVEN.includes(step.kind)
        return (
          <li key={index} className="flex gap-2 py-1.5">
            <span aria-hidden className={given ? 'text-go' : 'font-semibold text-stop'}>
              {given ? '✓' : '✗'}
            </span>
            <span className="flex-1">
              {step.text}.
              {step.suggestion && <span className="text-soft"> To mend it: {step.suggestion}.</span>}
            </span>
            <span className="text-right">
              <EvidenceLink file={step.file} line={step.line} />{' '}
              <EditThere file={step.file} line={step.line} />
            </span>
          </li>
        )
      })}
    </ol>
  )
}

/** The shorter prefixes that would take over if the match went away. */
function Behind({ why, q }: { why: Why; q: string }) {
  if (q.includes('/') || !why.matched) return null
  return (
    <Panel title="What stands behind it">
      <p>{why.sentence}</p>
      <ul className="mt-1">
        {why.behind.map((route) => (
          <li key={route.prefix}>
            <Mono>{route.prefix}</Mono>{' '}
            <span className="text-soft">
              {route.protocol}, <Named text={hopWords(route)} />
            </span>{' '}
            <EvidenceLink file={route.file} line={route.line} />
          </li>
        ))}
      </ul>
    </Panel>
  )
}
