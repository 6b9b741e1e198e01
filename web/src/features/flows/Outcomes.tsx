import type { FlowDoubt } from '../../api/types'
import { Panel } from '../../ui/controls'
import { EvidenceLink } from '../lens/EvidenceLink'
import { VERDICT_WORDS } from '../../wording'

/** Where routes depend on who settled first: who decides, and what becomes of the flow in each outcome. */
export function Outcomes({ doubt }: { doubt: FlowDoubt }) {
  return (
    <Panel title="Outcomes" aside={<span className="text-soft">the strip shows the first outcome</span>}>
      <table className="w-full border-collapse text-left">
        <thead>
          <tr className="border-b border-line text-soft">
            <th scope="col" className="py-1 pr-3 font-semibold">
              Outcome
            </th>
            <th scope="col" className="py-1 pr-3 font-semibold">
              What becomes of it
            </th>
            <th scope="col" className="py-1 font-semibold">
              Way
            </th>
          </tr>
        </thead>
        <tbody>
          {doubt.outcomes.map((each) => (
            <tr key={each.name} className="border-b border-line align-top last:border-0">
              <th scope="row" className="py-1.5 pr-3 font-semibold">
                {each.name}
              </th>
              <td className="py-1.5 pr-3">
                {VERDICT_WORDS[each.verdict]}
                {each.return_verdict && (
                  <span className="block text-soft">answers: {VERDICT_WORDS[each.return_verdict]}</span>
                )}
              </td>
              <td className="py-1.5">
                <Ways ways={each.ways} />
                {each.return_ways.length > 0 && (
                  <div className="text-soft">
                    <Ways ways={each.return_ways} lead="back: " />
                  </div>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 border-t border-line pt-2 text-soft">
        Decided at{' '}
        {doubt.deciders.map((each, index) => (
          <span key={`${each.device} ${each.vrf}`}>
            {index > 0 && ' and '}
            <strong className="text-ink">{each.device}</strong>
            {each.lines.map((line) => (
              <span key={`${line.file}:${line.line}`}>
                {' '}
                <EvidenceLink file={line.file} line={line.line} />
              </span>
            ))}
          </span>
        ))}
        {doubt.searched ? '.' : '; there may be more outcomes, the search for them was not made to its end.'}
      </p>
    </Panel>
  )
}

function Ways({ ways, lead = '' }: { ways: string[][]; lead?: string }) {
  return (
    <>
      {ways.map((way) => (
        <span key={way.join()} className="block">
          {lead}
          {way.join(' → ')}
        </span>
      ))}
    </>
  )
}
