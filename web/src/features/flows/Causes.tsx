import { useState } from 'react'
import { Link } from 'react-router'
import type { FlowQuestion } from '../../api/queries'
import type { Flow, FlowCause, FlowClass } from '../../api/types'
import { Mono, Panel } from '../../ui/controls'
import { SearchInput } from '../../ui/fields'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLinkTo } from '../lens/lens'
import { addressOf } from './question'
import { causeTone } from './verdicts'
import { Named } from '../lens/Named'
import { causeWords, counted } from '../../wording'

const LOOKS = { go: 'text-go', warn: 'text-warn', stop: 'text-stop' } as const
const MARKS = { go: '✓', warn: '!', stop: '✗' } as const
/** Pairs of one way that are listed; the rest is counted. */
const LISTED = 8
/** Pairs on a page, once all are asked for. */
const PAGE = 100

/** What becomes of the pairs that a prefix, a group or a site stands for: one row for each cause. */
export function Causes({ flow, question }: { flow: Flow; question: FlowQuestion }) {
  return (
    <Panel
      title="What becomes of them"
      aside={<span className="text-soft">one row for each cause; unfold it for pairs and ways</span>}
    >
      <ul className="divide-y divide-line">
        {flow.causes.map((cause) => (
          <Row
            key={cause.classes.join()}
            cause={cause}
            classes={flow.classes}
            question={question}
            alone={flow.causes.length === 1}
          />
        ))}
      </ul>
    </Panel>
  )
}

type RowProps = { cause: FlowCause; classes: FlowClass[]; question: FlowQuestion; alone: boolean }

function Row({ cause, classes, question, alone }: RowProps) {
  const [open, setOpen] = useState(alone)
  const felt = causeTone(cause)
  const members = cause.classes.flatMap((number) => classes[number] ?? [])
  return (
    <li className="py-2">
      <button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        className="grid w-full gap-x-4 text-left hover:bg-sunk md:grid-cols-[13rem_minmax(0,1fr)]"
      >
        <span className={`font-semibold ${LOOKS[felt]}`}>
          {MARKS[felt]} {causeWords(cause)}
        </span>
        <span>
          <Named text={cause.sentence} />
          {cause.of_nobody && <span className="text-soft"> No device has these addresses.</span>}{' '}
          <span className="text-sm whitespace-nowrap text-soft">
            {open ? '▾' : '▸'} {counted(cause.pair_count, 'pair')}, {counted(members.length, 'way')}
          </span>
        </span>
      </button>
      <p className="md:ml-[14rem]">
        <EvidenceLink file={cause.file} line={cause.line} />
      </p>
      {open && (
        <ul className="mt-1 divide-y divide-line border-l-2 border-line pl-3 md:ml-[14rem]">
          {members.map((one, index) => (
            <Way key={index} one={one} question={question} />
          ))}
        </ul>
      )}
    </li>
  )
}

/** The first pairs; of many the others too, filtered and a page at a time. */
function Pairs({ pairs }: { pairs: FlowClass['pairs'] }) {
  const [all, setAll] = useState(false)
  const [filter, setFilter] = useState('')
  const [page, setPage] = useState(0)
  const wanted = filter.trim().toLowerCase()
  const matching = pairs.filter((pair) =>
    `${pair.source} → ${pair.destination}`.toLowerCase().includes(wanted),
  )
  const size = all ? PAGE : LISTED
  const shown = matching.slice(page * size, (page + 1) * size)
  const more = 'text-link hover:underline disabled:text-soft disabled:no-underline'
  return (
    <div className="text-sm text-soft">
      {all && (
        <p className="my-1 flex flex-wrap items-center gap-3">
          <SearchInput
            label="Filter pairs"
            value={filter}
            onChange={(words) => {
              setFilter(words)
              setPage(0)
            }}
          />
          <span role="status">
            {matching.length === 0
              ? 'no pair matches'
              : `${page * size + 1} to ${page * size + shown.length} of ${counted(matching.length, 'pair')}`}
          </span>
          {matching.length > size && (
            <>
              <button type="button" className={more} disabled={page === 0} onClick={() => setPage(page - 1)}>
                earlier
              </button>
              <button
                type="button"
                className={more}
                disabled={(page + 1) * size >= matching.length}
                onClick={() => setPage(page + 1)}
              >
                later
              </button>
            </>
          )}
        </p>
      )}
      {shown.map((pair) => (
        <Mono key={`${pair.source} ${pair.destination}`} className="mr-4 inline-block">
          {pair.source} → {pair.destination}
        </Mono>
      ))}
      {pairs.length > LISTED && (
        <button
          type="button"
          className={more}
          onClick={() => {
            setAll(!all)
            setFilter('')
            setPage(0)
          }}
        >
          {all ? 'fewer' : `${pairs.length - LISTED} more pairs`}
        </button>
      )}
    </div>
  )
}

/** Pairs that go one way, the way, and what tells it from the others of its cause. */
function Way({ one, question }: { one: FlowClass; question: FlowQuestion }) {
  const to = useLinkTo()
  return (
    <li className="py-1.5">
      {one.way && <p>{one.way}</p>}
      {one.differs && <p className="text-sm text-soft">What splits it off: {one.differs}</p>}
      {one.pairs.length > 1 && <Pairs pairs={one.pairs} />}
      {one.asked && (
        <Link
          to={to('flows', { ...addressOf(question), from: one.asked.source, to: one.asked.destination })}
          className="inline-block text-sm"
        >
          Show the way of {one.asked.source} → {one.asked.destination}
        </Link>
      )}
    </li>
  )
}
