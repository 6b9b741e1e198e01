import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { promiseHistoryQuery } from '../../api/queries'
import type { Promised, StoredPromise } from '../../api/types'
import { useAddress } from '../../ui/address'
import { Confirm } from '../../ui/Confirm'
import { Mono, Problem, Severity, Waiting } from '../../ui/controls'
import { moment } from '../../ui/time'
import { failureWords } from '../../wording'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useFileLink, useLinkTo, usePlace } from '../lens/lens'
import { exampleQuestion, ExampleStrip } from './ExampleStrip'
import { PromiseForm } from './PromiseForm'
import { usePromisesChanged } from './usePromisesChanged'

/** One promise: its sentence, whether it is kept, and why not; opened, what it rests on. */
export function PromiseRow({ promise, stored }: { promise: Promised; stored?: StoredPromise }) {
  const { lens, network } = usePlace()
  const [params, change] = useAddress()
  const [editing, setEditing] = useState(false)
  const changed = usePromisesChanged()
  const fileLink = useFileLink()
  const isOpen = params.get('promise') === promise.id
  const toggle = () => change({ promise: isOpen ? null : promise.id }, { quiet: true })
  const drop = useMutation({
    mutationFn: () =>
      data(
        api.DELETE('/api/networks/{slug}/promises/{name}', {
          params: { path: { slug: lens.slug, name: promise.id } },
        }),
      ),
    onSuccess: changed,
  })
  if (editing && stored)
    return (
      <li className="py-2">
        <PromiseForm known={stored} onEnd={() => setEditing(false)} />
      </li>
    )
  return (
    <li className="grid grid-cols-[1.5rem_minmax(0,1fr)_auto] gap-x-2 py-2">
      <Mark promise={promise} />
      <div className="flex min-w-0 flex-col gap-0.5">
        <p>
          <button type="button" className="text-left hover:underline" aria-expanded={isOpen} onClick={toggle}>
            <Mono className="text-soft">{promise.id}</Mono> {promise.text}
          </button>
        </p>
        {(!promise.kept || promise.survives || promise.open) && promise.why && (
          <p className={promise.kept ? 'text-sm text-soft' : 'text-stop'}>{promise.why}</p>
        )}
        {promise.suggestion && <p className="text-sm text-soft">{promise.suggestion}</p>}
        <Example promise={promise} />
        <p className="flex flex-wrap gap-x-3 text-sm text-soft empty:hidden">
          {promise.severity !== 'error' && <Severity value={promise.severity} />}
          {promise.note && <span>{promise.note}</span>}
        </p>
        {!promise.kept && <BrokenSince name={promise.id} />}
        {isOpen && promise.counterexample && (
          <div className="mt-1 min-w-0 rounded-card border border-line bg-card p-2">
            <ExampleStrip example={promise.counterexample} />
          </div>
        )}
        {isOpen && <Opened promise={promise} />}
        {drop.isError && <Problem error={drop.error} />}
      </div>
      <span className="flex items-start gap-3 whitespace-nowrap">
        {promise.owner && <span className="text-sm text-soft">of {promise.owner}</span>}
        {promise.file ? (
          <Link to={fileLink(promise.file, promise.line)} className="text-sm">
            {promise.file}:{promise.line}
          </Link>
        ) : (
          stored &&
          network.role !== 'viewer' && (
            <>
              <button type="button" className="hover:underline" onClick={() => setEditing(true)}>
                edit<span className="sr-only"> {promise.id}</span>
              </button>
              <Confirm
                label="drop"
                name={`Drop ${promise.id}`}
                title="Drop this promise?"
                text={`“${promise.text}” is not checked any more. It can be written anew.`}
                action="Drop it"
                onConfirm={drop.mutateAsync}
              />
            </>
          )
        )}
      </span>
    </li>
  )
}

function Mark({ promise }: { promise: Promised }) {
  const [mark, words, colour] = !promise.kept
    ? ['✗', 'broken', 'text-stop']
    : promise.open
      ? ['✓', 'kept, as far as it was tried', 'text-soft']
      : ['✓', 'kept', 'text-go']
  return (
    <span role="img" aria-label={words} title={words} className={`font-semibold ${colour}`}>
      {mark}
    </span>
  )
}

/** The flow for which it does not hold: asked again with a click, and the line that stops it. */
function Example({ promise }: { promise: Promised }) {
  const to = useLinkTo()
  const example = promise.counterexample
  if (!example) return null
  return (
    <p className="flex flex-wrap gap-x-3 text-sm">
      <Link to={to('flows', exampleQuestion(example), { fail: example.failed })}>
        See this flow{!promise.kept && example.obstacle && ', and what would mend it'}
        {example.failed.length > 0 && ` with ${example.failed.map(failureWords).join(', ')} failed`}
      </Link>
      {example.obstacle && (
        <span>
          {example.obstacle} <EvidenceLink file={example.file} line={example.line} />
        </span>
      )}
    </p>
  )
}

function Opened({ promise }: { promise: Promised }) {
  const to = useLinkTo()
  const fileLink = useFileLink()
  const rests = promise.rests_on
  return (
    <div className="mt-1 grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1 rounded-card border border-line bg-paper p-2 text-sm">
      <span className="text-soft">rests on</span>
      <span>
        {rests.devices.length === 0 && 'nothing that packets meet'}
        {rests.devices.map((device, number) => (
          <span key={device}>
            {number > 0 && ', '}
            <Link className="underline" to={to('devices/chart', { device })}>
              {device}
            </Link>
          </span>
        ))}
      </span>
      {rests.links.length > 0 && (
        <>
          <span className="text-soft">links</span>
          <Mono>{rests.links.join(', ')}</Mono>
        </>
      )}
      {rests.rules_placed.length > 0 && (
        <>
          <span className="text-soft">rules</span>
          <span>
            {rests.rules_placed.map((rule, number) => (
              <span key={rule.text}>
                {number > 0 && ', '}
                {rule.file ? (
                  <Link className="underline" to={fileLink(rule.file, rule.line)}>
                    {rule.text}
                  </Link>
                ) : (
                  rule.text
                )}
              </span>
            ))}
          </span>
        </>
      )}
      {promise.classes > 0 && (
        <>
          <span className="text-soft">asked</span>
          <span>
            {promise.classes === 1 ? 'one class' : `${promise.classes} classes`} of headers, each of which the
            network treats alike
          </span>
        </>
      )}
      <span className="text-soft">so far</span>
      <History name={promise.id} />
    </div>
  )
}

/** Since which revision a promise is broken, as far as revisions were checked. */
function BrokenSince({ name }: { name: string }) {
  const { lens } = usePlace()
  const to = useLinkTo()
  const { data: history } = useQuery(promiseHistoryQuery(lens.slug, name))
  const past = history?.filter((each) => isAsItIs(each) && each.revision <= (lens.revision ?? Infinity))
  const kept = past?.findIndex((each) => each.kept) ?? -1
  const first = past?.[kept - 1]
  const last = past?.[kept]
  if (!first || !last) return null
  return (
    <p className="text-sm text-soft">
      broken since revision {first.revision};{' '}
      <Link
        className="underline"
        to={to('compare', { base_revision: last.revision }, { revision: first.revision })}
      >
        what changed then
      </Link>
    </p>
  )
}

const isAsItIs = (one: { changes: string[]; failed: string[] }) =>
  one.changes.length === 0 && one.failed.length === 0

/** In which revisions and lenses it was kept: where it broke, with what changed then. */
function History({ name }: { name: string }) {
  const { lens } = usePlace()
  const to = useLinkTo()
  const history = useQuery(promiseHistoryQuery(lens.slug, name))
  if (history.isError) return <Problem error={history.error} />
  if (history.isPending) return <Waiting what="Reading its history" />
  if (history.data.length === 0) return <span>not checked in a revision as it is yet</span>
  return (
    <ul>
      {history.data.map((each) => {
        const older = isAsItIs(each)
          ? history.data.find((one) => isAsItIs(one) && one.revision < each.revision)
          : history.data.find((one) => isAsItIs(one) && one.revision === each.revision)
        const turned = older !== undefined && older.kept !== each.kept
        if (!isAsItIs(each))
          return (
            <li key={`${each.revision} ${each.changes.join()} ${each.failed.join()}`} className="pl-4">
              {each.kept ? '✓ kept' : '✗ broken'} with{' '}
              <Link
                className="underline"
                to={to(
                  'promises',
                  { promise: name },
                  { revision: each.revision, change: each.changes, fail: each.failed },
                )}
              >
                {[...each.changes, ...each.failed.map((one) => `${failureWords(one)} failed`)].join(', ')}
              </Link>
              , {moment(each.checked)}
            </li>
          )
        return (
          <li key={each.revision}>
            {each.kept ? '✓ kept' : '✗ broken'} in revision {each.revision}, {moment(each.created)}
            {turned && (
              <>
                {' – '}
                <Link
                  className="underline"
                  to={to('compare', { base_revision: older.revision }, { revision: each.revision })}
                >
                  what changed then
                </Link>
              </>
            )}
          </li>
        )
      })}
    </ul>
  )
}
