import type { Flow, Obstacle } from '../../api/types'
import { Panel } from '../../ui/controls'
import { EvidenceLink } from '../lens/EvidenceLink'
import { rulesOf } from './evidence'
import { Named } from '../lens/Named'

/** Everything in the way of both directions, and where only a default is left. */
export function Obstacles({ flow }: { flow: Flow }) {
  const ways = [
    { name: 'Forward', way: flow.forward },
    { name: 'Return', way: flow.return },
  ]
  const count = ways.reduce((sum, { way }) => sum + (way?.obstacles.length ?? 0), 0)
  const defaults = ways.flatMap(({ way }) => way?.defaults ?? [])
  if (count === 0 && defaults.length === 0) return null
  return (
    <Panel
      title="Everything in the way"
      aside={<span className="text-soft">looked for behind each obstacle too, as if it were not there</span>}
    >
      {ways.map(
        ({ name, way }) =>
          way &&
          way.obstacles.length > 0 && (
            <div key={name} className="mb-2 grid gap-x-4 md:grid-cols-[6rem_minmax(0,1fr)]">
              <h3 className="pt-1 font-semibold text-soft">{name}</h3>
              <ol className="divide-y divide-line">
                {way.obstacles.map((each, index) => (
                  <Row key={index} obstacle={each} />
                ))}
              </ol>
            </div>
          ),
      )}
      {defaults.map((each) => (
        <p
          key={each.device}
          role="note"
          className="mt-1 rounded-card border border-warn bg-warn-wash px-2 py-1"
        >
          <strong className="text-warn">! Default route only.</strong> <Named text={each.text} />{' '}
          <EvidenceLink file={each.absence.steps.at(-1)?.file} line={each.absence.steps.at(-1)?.line} />
        </p>
      ))}
    </Panel>
  )
}

function Row({ obstacle }: { obstacle: Obstacle }) {
  const tried = (rulesOf(obstacle.evidence)?.tried ?? []).filter((rule) => rule.mismatch)
  return (
    <li className="py-1.5">
      <span
        className="mr-2 inline-block w-16 rounded-sm border border-line text-center text-sm text-soft"
        title={obstacle.side === 'access' ? 'a filter, zone or check' : 'a route, link or neighbour'}
      >
        {obstacle.side}
      </span>
      <Named text={obstacle.text} /> <EvidenceLink file={obstacle.file} line={obstacle.line} />
      {tried.length > 0 && (
        <details className="mt-0.5 text-sm text-soft">
          <summary className="cursor-pointer">
            {tried.length === 1
              ? '1 rule before it did not match'
              : `${tried.length} rules before it did not match`}
          </summary>
          <ul className="mt-1 pl-4">
            {tried.map((rule) => (
              <li key={`${rule.filter} ${rule.rule}`}>
                {rule.rule}: {rule.text}: <strong>{rule.mismatch}</strong>{' '}
                <EvidenceLink file={rule.file} line={rule.line} short />
              </li>
            ))}
          </ul>
        </details>
      )}
      {obstacle.absence && (
        <ul className="mt-0.5 pl-4 text-sm text-soft">
          {obstacle.absence.steps.map((step, index) => (
            <li key={index}>
              {step.text} <EvidenceLink file={step.file} line={step.line} short />
            </li>
          ))}
        </ul>
      )}
    </li>
  )
}
