import { Link } from 'react-router'
import type { FlowClass } from '../../api/types'
import { Mono, Panel } from '../../ui/controls'
import { useLinkTo } from '../lens/lens'
import type { FlowQuestion } from '../../api/queries'
import { addressOf } from './question'
import { tone, VERDICT_WORDS } from './verdicts'

const LOOKS = { go: 'text-go', warn: 'text-warn', stop: 'text-stop' } as const
const MARKS = { go: '✓', warn: '!', stop: '✗' } as const
/** Pairs that are listed; the rest is counted. */
const LISTED = 6

/** The classes of traffic that a prefix, a group or a site falls into. */
export function Classes({ classes, question }: { classes: FlowClass[]; question: FlowQuestion }) {
  return (
    <Panel
      title="What is treated alike"
      aside={<span className="text-soft">one answer for each class; open a pair for its way</span>}
    >
      <ul className="divide-y divide-line">
        {classes.map((each, index) => (
          <Row key={index} one={each} question={question} />
        ))}
      </ul>
    </Panel>
  )
}

function Row({ one, question }: { one: FlowClass; question: FlowQuestion }) {
  const to = useLinkTo()
  const arrives = one.verdict ? tone(one.verdict) : 'warn'
  const back = one.return_verdict ? tone(one.return_verdict) : 'go'
  const feel = arrives === 'go' ? back : arrives
  return (
    <li className="grid gap-x-4 py-2 md:grid-cols-[12rem_minmax(0,1fr)]">
      <span className={`font-semibold ${LOOKS[feel]}`}>
        {MARKS[feel]} {one.verdict ? VERDICT_WORDS[one.verdict] : 'cannot be asked'}
      </span>
      <div>
        <p>{one.sentence}</p>
        <p className="text-sm text-soft">
          {one.pairs.slice(0, LISTED).map((pair) => (
            <Mono key={`${pair.source} ${pair.destination}`} className="mr-4 inline-block">
              {pair.source} → {pair.destination}
            </Mono>
          ))}
          {one.pairs.length > LISTED && `and ${one.pairs.length - LISTED} more pairs`}
        </p>
        {one.asked && (
          <Link
            to={to('flows', { ...addressOf(question), from: one.asked.source, to: one.asked.destination })}
            className="inline-block text-sm"
          >
            Show the way
          </Link>
        )}
      </div>
    </li>
  )
}
