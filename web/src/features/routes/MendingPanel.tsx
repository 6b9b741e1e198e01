import { useQuery } from '@tanstack/react-query'
import { ended, mendingQuery, mendingStart } from '../../api/queries'
import type { Mending } from '../../api/types'
import { useAddress } from '../../ui/address'
import { Button, Panel, Problem, Waiting, sentence } from '../../ui/controls'
import { counted } from '../../wording'
import { TakeIntoChange } from '../changes/TakeIntoChange'
import { EditLines } from '../lens/EditLines'
import { useLens } from '../lens/lens'
import { PatchActions } from '../lens/PatchActions'
import { SearchUnderWay } from '../lens/SearchUnderWay'

/** The smallest edits that make most entries be as they were read; each was tried on the whole network. */
export function MendingPanel() {
  const [, change] = useAddress()
  const started = useQuery(mendingStart(useLens()))
  return (
    <Panel
      title="Edits that make the model agree"
      className="max-h-[45%] shrink-0 overflow-auto"
      aside={<Button onClick={() => change({ mend: null })}>Close</Button>}
    >
      {started.isError && <Problem error={started.error} />}
      {started.isPending && <Waiting what="Beginning to try" />}
      {started.data && <Search id={started.data.id} again={() => void started.refetch()} />}
    </Panel>
  )
}

function Search({ id, again }: { id: number; again: () => void }) {
  const search = useQuery(mendingQuery(id))
  if (search.isError) return <Problem error={search.error} />
  if (search.isPending) return <Waiting what="Opening the search" />
  const { status, message, done, answer } = search.data
  if (!ended(search.data)) {
    return (
      <SearchUnderWay id={id} status={status} words={`Trying edits on the whole network: ${done} so far…`} />
    )
  }
  if (!answer) {
    return (
      <p className="flex items-center justify-between gap-3">
        <span>{status === 'cancelled' ? `Cancelled after ${done} edits.` : sentence(message)}</span>
        <Button onClick={again}>Try again</Button>
      </p>
    )
  }
  return <Found answer={answer} />
}

function Found({ answer }: { answer: Mending }) {
  const name = answer.steps.map((step) => step.text).join('; ')
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-x-4 gap-y-1">
        <p className="min-w-60 flex-1">{answer.sentence}</p>
        {answer.steps.length > 0 && (
          <>
            <PatchActions changes={answer.changes} name={name} />
            <TakeIntoChange text={name} purpose="tables are as they were read" changes={answer.changes} />
          </>
        )}
      </div>
      <ol className="mt-1 list-decimal pl-6">
        {answer.steps.map((step) => (
          <li key={step.text}>
            <strong>{step.text}</strong> <span className="text-soft">({mends(step.mended)})</span>
          </li>
        ))}
      </ol>
      <div className="grid gap-x-4 lg:grid-cols-2">
        <EditLines edits={answer.edits} />
      </div>
      {answer.others.length > 0 && (
        <ul className="mt-2 text-sm text-soft">
          {answer.others.map((other) => (
            <li key={other.text} className="flex flex-wrap items-start justify-between gap-x-4">
              <span>
                It would help alone as well: {other.text} ({mends(other.mended)})
              </span>
              <TakeIntoChange
                text={other.text}
                purpose="tables are as they were read"
                changes={other.changes}
              />
            </li>
          ))}
        </ul>
      )}
    </>
  )
}

function mends(entries: number): string {
  return entries === 0 ? 'with those after it' : `mends ${counted(entries, 'entry', 'entries')}`
}
