import { Link } from 'react-router'
import type { Branch, Evidence, Hop, Route, Stage } from '../../api/types'
import { Mono, Panel } from '../../ui/controls'
import { EditThere } from '../changes/EditThere'
import { EvidenceLink } from '../lens/EvidenceLink'
import { FailButton } from '../lens/FailButton'
import { useLinkTo } from '../lens/lens'
import { lineOf, rulesOf, type RulesEvidence } from './evidence'
import { WhyRoute } from './WhyRoute'
import { Named } from '../lens/Named'
import { hopWords } from '../../wording'

const MARKS: Record<Stage['result'], { mark: string; word: string; look: string }> = {
  passed: { mark: '✓', word: 'passed', look: 'text-go' },
  none: { mark: '○', word: 'nothing here', look: 'text-soft' },
  stopped: { mark: '✗', word: 'stopped', look: 'text-stop' },
  not_reached: { mark: '–', word: 'not reached', look: 'text-soft' },
}

/** What one device did with the packet: every stage, with the line that says so. */
export function HopSheet({
  hop,
  branch,
  number,
  wide,
  why,
}: {
  hop: Hop
  branch: Branch
  number: number
  wide: boolean
  /** Why this hop is shown first; null where somebody chose it. */
  why: string | null
}) {
  const to = useLinkTo()
  const ruled = hop.stages.filter((stage) => rulesOf(stage.evidence))
  const telling = ruled.find((stage) => stage.result === 'stopped') ?? ruled[0]
  const rules = rulesOf(telling?.evidence ?? null)
  const later = hop.stages.filter((stage) => stage.result === 'not_reached')
  return (
    <Panel
      title={hop.device}
      aside={
        <span className="text-soft">
          {why !== null && `${why}; `}hop {number + 1} of {branch.hops.length}
        </span>
      }
      className="min-w-0"
    >
      {hop.outside ? (
        <p>An outside neighbour. What happens behind it is not modelled.</p>
      ) : (
        <div className={wide ? 'grid grid-cols-2 gap-x-8' : ''}>
          <div>
            <ul className="divide-y divide-line">
              {hop.stages
                .filter((stage) => stage.result !== 'not_reached')
                .map((stage, index) => (
                  <StageRow key={index} stage={stage} hop={hop} />
                ))}
            </ul>
            {later.length > 0 && (
              <p className="border-t border-line py-1.5 text-soft">
                – Not reached, since it stops before: {later.map((stage) => stage.title).join(', ')}
              </p>
            )}
          </div>
          <div>
            {telling && rules && <RulesTried result={telling.result} rules={rules} />}
            <p className="mt-3">
              <Link to={to('devices/chart', { device: hop.device })}>All about {hop.device}</Link>
            </p>
            <p className="mt-2 flex flex-wrap gap-2">
              <FailButton name={`device:${hop.device}`} what="the device" />
              {hop.out && <FailButton name={`interface:${hop.device}:${hop.out}`} what={hop.out} />}
            </p>
          </div>
        </div>
      )}
    </Panel>
  )
}

function StageRow({ stage, hop }: { stage: Stage; hop: Hop }) {
  const { mark, word, look } = MARKS[stage.result]
  return (
    <li
      className={`grid grid-cols-[1.25rem_1fr] gap-x-1 py-1.5 ${stage.result === 'stopped' ? '-mx-3 bg-stop-wash px-3' : ''}`}
    >
      <span className={look} aria-label={word}>
        {mark}
      </span>
      <div className={stage.result === 'none' ? 'text-soft' : ''}>
        <strong className={stage.result === 'stopped' ? 'text-stop' : ''}>{stage.title}</strong>{' '}
        <span className="break-words">
          <Named text={stage.text} />
        </span>{' '}
        <EvidenceLink {...lineOf(stage.evidence)} />{' '}
        {stage.result === 'stopped' && <EditThere {...lineOf(stage.evidence)} />}
        {stage.evidence?.kind === 'route' && <Resolved steps={stage.evidence.resolved} />}
        {stage.evidence?.kind === 'route' && <Behind routes={stage.evidence.behind} />}
        {stage.evidence?.kind === 'route' && (stage.evidence.route || !stage.evidence.next_hop) && (
          <WhyRoute
            device={hop.device}
            vrf={stage.evidence.table}
            q={stage.evidence.destination}
            none={stage.evidence.route === null}
          />
        )}
      </div>
    </li>
  )
}

type ResolvedSteps = Extract<Evidence, { kind: 'route' }>['resolved']

/** How the route's next hop leads to an interface: each route on the way there, with its line. */
function Resolved({ steps }: { steps: ResolvedSteps }) {
  if (steps.length === 0) return null
  return (
    <ol className="ml-1 border-l-2 border-line pl-2 text-sm">
      {steps.map(({ address, route }) => (
        <li key={address}>
          its next hop <Mono>{address}</Mono>{' '}
          {route ? (
            <>
              is reached by <Mono>{route.prefix}</Mono> {route.title}, <Named text={hopWords(route)} />{' '}
              <EvidenceLink file={route.file} line={route.line} short />
            </>
          ) : (
            'has no route any more'
          )}
        </li>
      ))}
    </ol>
  )
}

/** The less specific routes that would be followed if this one went. */
function Behind({ routes }: { routes: Route[] }) {
  if (routes.length === 0) return null
  return (
    <div className="text-sm text-soft">
      behind it:{' '}
      {routes.map((route) => (
        <span key={route.prefix} className="mr-2">
          <Mono>{route.prefix}</Mono> {route.protocol}
        </span>
      ))}
    </div>
  )
}

function RulesTried({ result, rules }: { result: Stage['result']; rules: RulesEvidence }) {
  const byDefault = rules.kind === 'filter' && rules.rule === null && rules.tried.length > 0
  const several = new Set(rules.tried.map((rule) => rule.filter)).size > 1
  const decided = result === 'stopped' ? 'bg-stop-wash' : 'bg-go-wash'
  return (
    <div className="mt-1.5">
      <h3 className="font-semibold">
        Rules tried in <Mono>{rules.kind === 'filter' ? rules.filter : rules.steering}</Mono>
      </h3>
      <table className="mt-1 w-full text-sm">
        <tbody>
          {rules.tried.map((rule) => (
            <tr
              key={`${rule.filter} ${rule.rule}`}
              className={`border-t border-line align-top ${rule.mismatch ? '' : decided}`}
            >
              <td className="py-1 pr-2 font-mono">{rule.rule}</td>
              <td className="py-1 pr-2">
                {several && <span className="block font-mono text-soft">{rule.filter}</span>}
                {rule.text} <EvidenceLink file={rule.file} line={rule.line} short />
                <div className={rule.mismatch ? 'text-soft' : 'font-semibold'}>
                  {rule.mismatch ? `no: ${rule.mismatch}` : 'matches'}
                </div>
              </td>
            </tr>
          ))}
          {byDefault && (
            <tr className={`border-t border-line ${decided}`}>
              <td className="py-1 pr-2">–</td>
              <td className="py-1 font-semibold">
                default: {rules.action} <EvidenceLink file={rules.file} line={rules.line} short />
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </div>
  )
}
