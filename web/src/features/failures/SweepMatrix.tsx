import { useState } from 'react'
import { Link } from 'react-router'
import type { Sweep, SweepCase } from '../../api/types'
import { useAddress } from '../../ui/address'
import { Button, Mono, Panel } from '../../ui/controls'
import { counted, failureWords } from '../../wording'
import { useLinkTo } from '../lens/lens'

/** Cases that are drawn at first; the rest on demand. */
const DRAWN = 60

/** Failures in the largest sets that are searched for. */
const MOST_IN_A_SET = 3

const keyOf = (failed: string[]) => failed.join(' + ')

/** Failures by promises, what hurts most first; one is looked at beside it. */
export function SweepMatrix({ found, pairs }: { found: Sweep; pairs: boolean }) {
  const [params, change] = useAddress()
  const [all, setAll] = useState(false)
  const [most, setMost] = useState(DRAWN)
  const touched = new Set(found.cases.flatMap((each) => [...each.broken, ...each.rerouted, ...each.mended]))
  const promises = found.promises.filter((name) => touched.has(name))
  const harmful = found.cases.filter(
    (each) => each.broken.length + each.rerouted.length + each.mended.length > 0,
  )
  const cases = all ? found.cases : harmful
  const chosen = found.cases.find((each) => keyOf(each.failed) === params.get('case')) ?? cases[0]
  const choose = (name: string, value: string) => change({ [name]: value }, { quiet: true })
  const fatal = found.cases.filter((each) => each.broken.length > 0).length
  return (
    <>
      <p
        role="status"
        className={`rounded-card border-l-8 px-3 py-2 font-semibold ${fatal ? 'border-warn bg-warn-wash' : 'border-go bg-card'}`}
      >
        {found.summary}
      </p>
      {found.shift && <Shifted shift={found.shift} choose={(key) => choose('case', key)} />}
      <div className="grid grid-cols-[minmax(0,1fr)_22rem] items-start gap-3 max-lg:grid-cols-1">
        <Panel
          title="Failures and promises"
          aside={
            <span className="text-sm text-soft">
              ✗ broken · ↷ kept another way · + kept only then · empty: untouched
            </span>
          }
        >
          {promises.length === 0 ? (
            <p>No failure touches any promise.</p>
          ) : (
            <div className="overflow-x-auto">
              <table className="border-separate border-spacing-0.5 text-sm">
                <thead>
                  <tr>
                    <th scope="col" className="align-bottom text-left font-normal text-soft">
                      what fails
                    </th>
                    {promises.map((name) => (
                      <th key={name} scope="col" className="h-40 w-7 p-0 align-bottom font-normal">
                        <button
                          type="button"
                          title={`What breaks ${name}`}
                          aria-pressed={params.get('promise') === name}
                          onClick={() => choose('promise', name)}
                          className={`rotate-180 whitespace-nowrap [writing-mode:vertical-rl] hover:underline ${params.get('promise') === name ? 'font-semibold text-chosen' : ''}`}
                        >
                          {name}
                        </button>
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {cases.slice(0, most).map((each) => (
                    <Row
                      key={keyOf(each.failed)}
                      one={each}
                      promises={promises}
                      isChosen={each === chosen}
                      choose={() => choose('case', keyOf(each.failed))}
                    />
                  ))}
                </tbody>
              </table>
            </div>
          )}
          <p className="mt-2 flex flex-wrap items-center gap-3 text-sm text-soft">
            {cases.length > most && (
              <Button onClick={() => setMost(cases.length)}>Show {cases.length - most} more</Button>
            )}
            {found.cases.length > harmful.length && (
              <button type="button" className="text-link hover:underline" onClick={() => setAll(!all)}>
                {all
                  ? 'Hide those that touch no promise'
                  : `${counted(found.cases.length - harmful.length, 'case')} that touch no promise hidden; show`}
              </button>
            )}
          </p>
        </Panel>
        <div className="flex flex-col gap-3">
          {chosen && !found.sets && <Chosen one={chosen} />}
          <BreakingSets
            found={found}
            promise={params.get('promise') ?? chosen?.broken[0]}
            choose={(key) => choose('case', key)}
            largest={found.sets ? found.sets.most : pairs ? 2 : 1}
            search={(name) => change({ sets: name, promise: name, before: null, pairs: null })}
          />
          {chosen && found.sets && <Chosen one={chosen} />}
        </div>
      </div>
    </>
  )
}

type RowProps = { one: SweepCase; promises: string[]; isChosen: boolean; choose: () => void }

function Row({ one, promises, isChosen, choose }: RowProps) {
  return (
    <tr className={isChosen ? 'outline-2 outline-chosen' : ''}>
      <th scope="row" className="max-w-72 min-w-52 pr-2 text-left font-normal">
        <button type="button" aria-pressed={isChosen} onClick={choose} className="text-left hover:underline">
          {one.title}
        </button>
      </th>
      {promises.map((name) => (
        <Cell key={name} one={one} name={name} />
      ))}
    </tr>
  )
}

function Cell({ one, name }: { one: SweepCase; name: string }) {
  const [mark, words, look] = one.broken.includes(name)
    ? ['✗', 'broken', 'bg-stop-wash text-stop font-semibold']
    : one.rerouted.includes(name)
      ? ['↷', 'kept another way', 'bg-sunk text-ink']
      : one.mended.includes(name)
        ? ['+', 'kept only then', 'bg-sunk text-go']
        : ['', 'untouched', 'bg-paper']
  return (
    <td className={`h-6 w-7 rounded-sm text-center ${look}`} title={`${name}: ${words}`}>
      <span aria-hidden>{mark}</span>
      <span className="sr-only">{words}</span>
    </td>
  )
}

/** One failure: what it does, and the way into the network without what failed. */
function Chosen({ one }: { one: SweepCase }) {
  const to = useLinkTo()
  const more = { fail: one.failed }
  return (
    <Panel title={one.title}>
      <p>{one.text.charAt(0).toUpperCase() + one.text.slice(1)}.</p>
      <p className="my-2 flex flex-wrap gap-x-3">
        <Link to={to('promises', { show: one.broken.length ? 'broken' : null }, more)}>Promises then</Link>
        <Link to={to('devices/chart', {}, more)}>Chart then</Link>
        <Link to={to('compare', {}, more)}>What moves</Link>
      </p>
      <dl className="grid grid-cols-[8rem_minmax(0,1fr)] gap-x-3 gap-y-1 text-sm">
        <Fact title="broken" names={one.broken} />
        <Fact title="kept another way" names={one.rerouted} />
        <Fact title="flows lost" names={one.flows_lost} />
        {one.cut_off.map((part, number) => (
          <Fact key={number} title={number === 0 ? 'cut off' : ''} names={part} />
        ))}
        <dt className="text-soft">routes</dt>
        <dd>
          {counted(one.routes_lost, 'entry', 'entries')} lost, {one.routes_moved - one.routes_lost} changed
        </dd>
        <Fact title="found only then" names={one.findings} />
      </dl>
    </Panel>
  )
}

/** Names of one kind; many of them on demand. */
function Fact({ title, names }: { title: string; names: string[] }) {
  const [all, setAll] = useState(false)
  if (names.length === 0) return null
  const shown = all ? names : names.slice(0, 8)
  return (
    <>
      <dt className="text-soft">{title}</dt>
      <dd className="min-w-0 break-words">
        {shown.join(', ')}
        {names.length > shown.length && (
          <>
            {' '}
            <button type="button" className="text-link hover:underline" onClick={() => setAll(true)}>
              and {names.length - shown.length} more
            </button>
          </>
        )}
      </dd>
    </>
  )
}

type ShiftedProps = { shift: NonNullable<Sweep['shift']>; choose: (key: string) => void }

/** What the changes of the lens do to what is survived. */
function Shifted({ shift, choose }: ShiftedProps) {
  const rows = [
    ...shift.fatal.map((each) => ({ ...each, mark: '✗', words: 'fatal now' })),
    ...shift.survivable.map((each) => ({ ...each, mark: '✓', words: 'survived now' })),
    ...shift.otherwise.map((each) => ({ ...each, mark: '≠', words: 'breaks others now' })),
  ]
  return (
    <Panel title="What the change does to that">
      <p className="font-semibold">{shift.summary}</p>
      <ul className="mt-1 flex max-h-56 flex-col gap-0.5 overflow-y-auto text-sm">
        {rows.map((each) => (
          <li key={keyOf(each.failed)} className="flex flex-wrap gap-x-2">
            <span className="w-32 text-soft">
              <span aria-hidden>{each.mark}</span> {each.words}
            </span>
            <button
              type="button"
              className="text-left hover:underline"
              onClick={() => choose(keyOf(each.failed))}
            >
              {each.title}
            </button>
            {each.breaks_now.length > 0 && (
              <span className="text-stop">breaks {each.breaks_now.join(', ')}</span>
            )}
            {each.survived_now.length > 0 && (
              <span className="text-soft">breaks no more {each.survived_now.join(', ')}</span>
            )}
          </li>
        ))}
      </ul>
    </Panel>
  )
}

type SetsProps = {
  found: Sweep
  promise?: string
  choose: (key: string) => void
  /** The size of the largest sets that were tried. */
  largest: number
  search: (promise: string) => void
}

/** The smallest sets among the cases that break a promise. */
function BreakingSets({ found, promise, choose, largest, search }: SetsProps) {
  const name = promise ?? Object.keys(found.breaking_sets)[0]
  if (!name) return null
  const sets = found.breaking_sets[name] ?? []
  const titles = new Map(
    found.cases.filter((each) => each.failed.length === 1).map((each) => [each.failed[0], each.title]),
  )
  const wordsOf = (set: string[]) => set.map((one) => titles.get(one) ?? failureWords(one)).join(' + ')
  return (
    <Panel title={`Smallest sets that break ${name}`}>
      {sets.length === 0 ? (
        <p>None of the cases does.</p>
      ) : (
        <ul className="flex max-h-72 flex-col gap-0.5 overflow-y-auto text-sm">
          {sets.map((one) => (
            <li key={keyOf(one)}>
              <button type="button" className="text-left hover:underline" onClick={() => choose(keyOf(one))}>
                <Mono>{`{${wordsOf(one)}}`}</Mono>
              </button>
            </li>
          ))}
        </ul>
      )}
      {largest < MOST_IN_A_SET && !found.sets && (
        <Button className="mt-2" onClick={() => search(name)}>
          Search for sets of up to {MOST_IN_A_SET}
        </Button>
      )}
    </Panel>
  )
}
