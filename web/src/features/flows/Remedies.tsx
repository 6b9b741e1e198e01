import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, data } from '../../api/client'
import { ended, remedySearchQuery, type FlowQuestion, through } from '../../api/queries'
import type { Remedy, RemedySearch } from '../../api/types'
import { Button, Panel, Problem } from '../../ui/controls'
import { EditLines } from '../lens/EditLines'
import { EvidenceLink } from '../lens/EvidenceLink'
import { TakeIntoChange } from '../changes/TakeIntoChange'
import { useLens } from '../lens/lens'
import { PatchActions } from '../lens/PatchActions'
import { SearchUnderWay } from '../lens/SearchUnderWay'
import { useAddress } from '../../ui/address'
import { bodyOf } from './question'
import { questionWords } from '../../wording'

/** Edits that make the flow arrive both ways. They are searched for only when somebody asks. */
export function Remedies({ question }: { question: FlowQuestion }) {
  const lens = useLens()
  const [params, change] = useAddress()
  const id = Number(params.get('remedies')) || null
  const start = useMutation({
    mutationFn: () =>
      data(
        api.POST('/api/networks/{slug}/remedies', {
          params: { path: { slug: lens.slug }, query: { ...through(lens) } },
          body: bodyOf(question),
        }),
      ),
    onSuccess: (search) => change({ remedies: String(search.id) }),
  })
  return (
    <Panel title="Remedies">
      {id === null ? (
        <p className="flex items-center justify-between gap-3">
          <span className="text-soft">
            The smallest edits of the files that make both directions arrive. Each is tried on the whole
            network first.
          </span>
          <Button onClick={() => start.mutate()} disabled={start.isPending}>
            Search for remedies
          </Button>
        </p>
      ) : (
        <Search id={id} question={question} again={() => start.mutate()} />
      )}
      {start.isError && <Problem error={start.error} />}
    </Panel>
  )
}

type Asked = { id: number; question: FlowQuestion; again: () => void }

function Search({ id, question, again }: Asked) {
  const search = useQuery(remedySearchQuery(id))
  if (search.isError) return <Problem error={search.error} />
  if (!search.data)
    return (
      <p role="status" className="text-soft">
        Opening the search…
      </p>
    )
  const { status, done, found, message } = search.data
  if (!ended(search.data)) {
    const words = `Trying edits: ${done} tried, ${found} that help so far…`
    return <SearchUnderWay id={id} status={status} words={words} />
  }
  if (status !== 'done' || !search.data.answer) {
    return (
      <p className="flex items-center justify-between gap-3">
        <span>{status === 'cancelled' ? `Cancelled after ${done} edits.` : message}</span>
        <Button onClick={again}>Search again</Button>
      </p>
    )
  }
  return <Found answer={search.data.answer} purpose={`${questionWords(question)} arrives`} />
}

type Searched = { answer: NonNullable<RemedySearch['answer']>; purpose: string }

function Found({ answer, purpose }: Searched) {
  return (
    <>
      <p className="mb-2">{answer.remedies_sentence}</p>
      {answer.missed && <Missed missed={answer.missed} />}
      <ol className="grid gap-2 lg:grid-cols-2">
        {answer.remedies.map((remedy, index) => (
          <Card key={index} remedy={remedy} number={index + 1} purpose={purpose} />
        ))}
      </ol>
    </>
  )
}

/** Why nothing helped: what is left in the way, and the edits that came farthest. */
function Missed({ missed }: { missed: NonNullable<Searched['answer']['missed']> }) {
  return (
    <div role="note" className="rounded-card border border-line bg-paper p-2.5">
      {missed.text ? (
        <>
          <p>
            <strong>Nearest miss:</strong> {missed.text}. Then this is left in the way:
          </p>
          <p>
            {missed.left} <EvidenceLink file={missed.file} line={missed.line} />
          </p>
          <EditLines edits={missed.edits} />
          <PatchActions changes={missed.changes} name={missed.text} />
        </>
      ) : (
        <p>
          <strong>Still in the way:</strong> {missed.left}{' '}
          <EvidenceLink file={missed.file} line={missed.line} />
        </p>
      )}
    </div>
  )
}

function Card({ remedy, number, purpose }: { remedy: Remedy; number: number; purpose: string }) {
  return (
    <li className={`rounded-card border p-2.5 ${remedy.take ? 'border-go bg-card' : 'border-line bg-paper'}`}>
      <div className="flex items-start gap-2">
        <span className="mt-0.5 w-5 shrink-0 rounded-sm bg-go text-center text-sm text-on-accent">
          {number}
        </span>
        <ul className="font-semibold">
          {remedy.text.split('; ').map((part) => (
            <li key={part}>{part}</li>
          ))}
        </ul>
      </div>
      {remedy.take && (
        <p className="mt-0.5 text-sm">
          <strong className="text-go">Take this one:</strong> {remedy.take}.
        </p>
      )}
      {remedy.moves.breaks.length > 0 && (
        <p role="note" className="mt-1 rounded-tile border border-stop bg-stop-wash px-2 py-0.5 text-sm">
          <strong className="text-stop">✗ Breaks</strong> {remedy.moves.breaks.join(', ')}, which arrived
          before.
        </p>
      )}
      <p className="mt-0.5 text-sm text-soft">
        {remedy.opens_text}; {remedy.moves.text}. {remedy.opens > 0 && <Exactly headers={remedy.opens} />}
      </p>
      <EditLines edits={remedy.edits} />
      <p className="mt-1 flex flex-wrap items-start justify-between gap-x-3 gap-y-1 text-sm">
        <span>Then: {remedy.then}</span>
        <PatchActions changes={remedy.changes} name={remedy.text} />
        <TakeIntoChange text={remedy.text} purpose={purpose} changes={remedy.changes} />
      </p>
    </li>
  )
}

/** The exact number of headers opened, for whoever asks. */
function Exactly({ headers }: { headers: number }) {
  const [shown, setShown] = useState(false)
  if (!shown)
    return (
      <button type="button" className="text-link hover:underline" onClick={() => setShown(true)}>
        how much exactly
      </button>
    )
  return (
    <span>
      {headers.toLocaleString('en-GB')} headers (protocol, addresses and ports) pass that did not before.
    </span>
  )
}
