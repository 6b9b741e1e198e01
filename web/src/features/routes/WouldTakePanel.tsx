import { useQuery } from '@tanstack/react-query'
import { ended, wouldTakeQuery, wouldTakeStart } from '../../api/queries'
import type { WouldTake } from '../../api/types'
import { Button, Mono, Panel, Problem, Waiting, sentence } from '../../ui/controls'
import { EditLines } from '../lens/EditLines'
import { EvidenceLink } from '../lens/EvidenceLink'
import { TakeIntoChange } from '../changes/TakeIntoChange'
import { useLens } from '../lens/lens'
import { PatchActions } from '../lens/PatchActions'
import { SearchUnderWay } from '../lens/SearchUnderWay'
import { useAddress } from '../../ui/address'

type Table = { prefix: string; device: string; vrf: string }

/** Changes that let a loser win. Each was made and computed, so they are worked out only when asked for. */
export function WouldTakePanel({ prefix, device, vrf }: Table) {
  const [params, change] = useAddress()
  return (
    <Panel title="What would make another path win">
      {params.get('take') ? (
        <Answers prefix={prefix} device={device} vrf={vrf} />
      ) : (
        <p className="flex items-center justify-between gap-3">
          <span className="text-soft">
            The smallest change at one place that lets it win. Each is tried on the whole network first.
          </span>
          <Button onClick={() => change({ take: 'yes' })}>Work it out</Button>
        </p>
      )}
    </Panel>
  )
}

function Answers({ prefix, device, vrf }: Table) {
  const started = useQuery(wouldTakeStart(useLens(), prefix, device, vrf))
  if (started.isError) return <Problem error={started.error} />
  if (started.isPending) return <Waiting what="Beginning to try" />
  return <Search id={started.data.id} again={() => void started.refetch()} about={{ prefix, device, vrf }} />
}

function Search({ id, again, about: { prefix, device } }: { id: number; again: () => void; about: Table }) {
  const search = useQuery(wouldTakeQuery(id))
  if (search.isError) return <Problem error={search.error} />
  if (search.isPending) return <Waiting what="Opening the search" />
  const { status, message, answer: answers } = search.data
  if (!ended(search.data)) {
    return <SearchUnderWay id={id} status={status} words="Trying changes on the whole network…" />
  }
  if (!answers) {
    return (
      <p className="flex items-center justify-between gap-3">
        <span>{sentence(message)}</span>
        <Button onClick={again}>Work it out again</Button>
      </p>
    )
  }
  if (answers.length === 0)
    return <p className="text-soft">No candidate lost that a change of an attribute could help.</p>
  return (
    <ul className="divide-y divide-line">
      {answers.map((answer) => (
        <li
          key={`${answer.title} ${answer.advertiser} ${answer.neighbour}`}
          className="grid gap-x-4 gap-y-1 py-2 md:grid-cols-[11rem_minmax(0,1fr)]"
        >
          <span>
            <strong>{answer.advertiser ?? answer.title}</strong>
            <span className="block text-sm text-soft">
              {answer.title}
              {answer.neighbour && (
                <>
                  , <Mono>{answer.neighbour}</Mono>
                </>
              )}
            </span>
          </span>
          <Changes
            answer={answer}
            purpose={`${answer.advertiser ?? answer.title} for ${prefix} at ${device}`}
          />
        </li>
      ))}
    </ul>
  )
}

function Changes({ answer, purpose }: { answer: WouldTake; purpose: string }) {
  return (
    <div>
      {answer.changes.length === 0 && <p>{answer.sentence}</p>}
      {answer.changes.map((edit, index) => (
        <div key={edit.text} className="mb-1.5 flex flex-wrap items-start justify-between gap-x-4 gap-y-1">
          <span className="min-w-60 flex-1">
            {index > 0 && <span className="text-soft">or </span>}
            {edit.text} <EvidenceLink file={edit.file} line={edit.line} />
            <span className="block text-sm text-soft">it {edit.moves.text}</span>
          </span>
          <PatchActions changes={edit.changes} name={edit.text} />
          <TakeIntoChange text={edit.text} purpose={`traffic goes by ${purpose}`} changes={edit.changes} />
          <details className="w-full">
            <summary className="w-fit cursor-pointer text-sm text-link">the lines it changes</summary>
            <EditLines edits={edit.edits} />
          </details>
        </div>
      ))}
      {answer.changes.length > 0 &&
        answer.tried.map((edit) => (
          <p key={edit.text} className="text-sm text-soft">
            Not enough: {edit.text}; it then {edit.then}.
          </p>
        ))}
    </div>
  )
}
