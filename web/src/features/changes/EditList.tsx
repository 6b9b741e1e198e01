import type { SeenChange, SeenEdit } from '../../api/types'
import { Button, Mono, Problem } from '../../ui/controls'
import { carriedOver, editWords, placeWords } from './edits'
import type { useChange } from './useChange'

type EditListProps = { seen: SeenChange; doing: ReturnType<typeof useChange>; isOpen: boolean }

/** A change's edits in their order: what each replaces, and what stands in the way of it. */
export function EditList({ seen, doing, isOpen }: EditListProps) {
  const edits = seen.edits.map((each) => each.edit)
  const say = (made: typeof edits, text: string) => doing.say.mutate({ edits: made, text })
  const other = (at: number, edit: (typeof edits)[number]) => edits.map((each, n) => (n === at ? edit : each))
  const moved = (at: number, by: number) => {
    const made = [...edits]
    const [edit] = made.splice(at, 1)
    if (edit) made.splice(at + by, 0, edit)
    return made
  }
  return (
    <>
      <ol className="divide-y divide-line border-y border-line">
        {seen.edits.map((each, at) => {
          const { edit } = each
          const words = editWords(edit)
          return (
            <li key={`${at} ${words}`} className={`py-2 ${edit.off ? 'opacity-70' : ''}`}>
              <div className="flex items-start gap-2">
                <span className="w-5 shrink-0 text-right text-soft">{at + 1}</span>
                <EditWords seen={each} />
              </div>
              {each.conflict && (
                <Conflict
                  seen={each}
                  isOpen={isOpen}
                  carryOver={() =>
                    say(other(at, carriedOver(edit, each.conflict?.now ?? null)), `carried over: ${words}`)
                  }
                />
              )}
              {isOpen && (
                <div className="mt-1 ml-7 flex flex-wrap gap-x-3 text-sm">
                  <Action
                    label={edit.off ? 'switch on' : 'switch off'}
                    name={words}
                    onClick={() =>
                      say(other(at, { ...edit, off: !edit.off }), `${edit.off ? 'on' : 'off'}: ${words}`)
                    }
                  />
                  {at > 0 && (
                    <Action label="up" name={words} onClick={() => say(moved(at, -1), `up: ${words}`)} />
                  )}
                  {at < edits.length - 1 && (
                    <Action label="down" name={words} onClick={() => say(moved(at, 1), `down: ${words}`)} />
                  )}
                  <Action
                    label="remove"
                    name={words}
                    onClick={() =>
                      say(
                        edits.filter((_, n) => n !== at),
                        `removed: ${words}`,
                      )
                    }
                  />
                </div>
              )}
            </li>
          )
        })}
        {edits.length === 0 && <li className="py-2 text-soft">No edit yet.</li>}
      </ol>
      {doing.say.isError && <Problem error={doing.say.error} />}
    </>
  )
}

function Action({ label, name, onClick }: { label: string; name: string; onClick: () => void }) {
  return (
    <button
      type="button"
      className="text-link hover:underline"
      aria-label={`${label}: ${name}`}
      onClick={onClick}
    >
      {label}
    </button>
  )
}

/** The place, what stood there and what stands there from now on. */
function EditWords({ seen: { edit } }: { seen: SeenEdit }) {
  const { head, keys } = placeWords(edit)
  return (
    <span className="min-w-0 flex-1">
      <strong className="break-words">{head}</strong> <Mono className="break-words">{keys}</Mono>
      {edit.off && <span className="ml-2 rounded border border-edge px-1 text-sm">off</span>}
      <span className="block break-words">
        {edit.operation === 'set' && (
          <>
            <Value text={edit.was} /> → <Value text={edit.value} isNew />
          </>
        )}
        {edit.operation === 'add' && (
          <>
            added{edit.before !== null && ` before ${edit.before}`}: <Value text={edit.value} isNew />
          </>
        )}
        {edit.operation === 'remove' && (
          <>
            removed: <Value text={edit.was} />
          </>
        )}
        {edit.operation === 'move' &&
          (edit.before === null ? 'moved to the end' : `moved before ${edit.before}`)}
        {edit.operation === 'lines' && <LineEdit was={edit.was} value={edit.value} />}
      </span>
    </span>
  )
}

function Value({ text, isNew = false }: { text: string | null; isNew?: boolean }) {
  if (text === null) return <span className="text-soft">nothing</span>
  return <Mono className={isNew ? 'font-semibold text-go' : 'text-stop'}>{text}</Mono>
}

function LineEdit({ was, value }: { was: string | null; value: string | null }) {
  if (was === null) return <>a new file of {lineCount(value)} lines</>
  if (value === null) return <>the file goes ({lineCount(was)} lines)</>
  return (
    <>
      {lineCount(was)} → {lineCount(value)} lines
    </>
  )
}

const lineCount = (text: string | null) => (text ?? '').trimEnd().split('\n').length

/** Somebody else has touched the place: the three versions, and the two ways on. */
function Conflict({ seen, isOpen, carryOver }: { seen: SeenEdit; isOpen: boolean; carryOver: () => void }) {
  const { conflict, edit } = seen
  if (!conflict) return null
  const versions: [string, string | null][] = [
    ['when it was written', conflict.was],
    ['stands there now', conflict.now],
    ['wanted', conflict.wanted],
  ]
  return (
    <div role="alert" className="mt-1.5 ml-7 rounded-md border border-stop bg-stop-wash p-2 text-sm">
      <strong className="text-stop">✗ Conflict.</strong> {conflict.text}.
      <dl className="my-1.5 grid grid-cols-[auto_minmax(0,1fr)] gap-x-3">
        {versions.map(([title, text]) => (
          <div key={title} className="contents">
            <dt className="text-soft">{title}</dt>
            <dd className="break-words whitespace-pre-wrap">
              {text === null ? <span className="text-soft">nothing</span> : <Mono>{text}</Mono>}
            </dd>
          </div>
        ))}
      </dl>
      {isOpen && edit.operation !== 'add' && edit.operation !== 'move' ? (
        <span className="flex flex-wrap items-center gap-2">
          <Button className="py-0.5 text-sm" onClick={carryOver}>
            Carry it over
          </Button>
          <span className="text-soft">replaces what stands there now; or switch it off, or remove it</span>
        </span>
      ) : (
        <span className="text-soft">Switch it off, or remove it and write it anew.</span>
      )}
    </div>
  )
}
