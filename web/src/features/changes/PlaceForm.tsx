import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, data } from '../../api/client'
import { placeQuery, through } from '../../api/queries'
import type { Edit, PlaceForm as Place } from '../../api/types'
import { Button, Mono, Problem, Waiting } from '../../ui/controls'
import { Input, Select } from '../../ui/fields'
import { useLens } from '../lens/lens'
import { flowItem, withEdits } from './edits'
import { FieldRows, type Typed } from './FieldRows'
import { useOtherEnd } from './useOtherEnd'
import type { useChange } from './useChange'

type PlaceFormProps = {
  device: string
  at: string[]
  goTo: (at: string[]) => void
  goToDevice: (device: string, at: string[]) => void
  edits: Edit[]
  doing: ReturnType<typeof useChange>
}

/** What is asked of the server: a value at a place, an item for a list, another order. */
type Wanted = {
  device: string
  at: string[]
  value: string | null
  operation?: 'set' | 'add' | 'move'
  before?: string | null
}

/** Makes edits of values at places, and puts them into the change. */
function useWriting({ edits, doing }: Pick<PlaceFormProps, 'edits' | 'doing'>) {
  const lens = useLens()
  return useMutation({
    mutationFn: async ({ places, text }: { places: Wanted[]; text: string }) => {
      const made = await data(
        api.POST('/api/networks/{slug}/edits/places', {
          params: { path: { slug: lens.slug }, query: through(lens) },
          body: { places: places.map((each) => ({ file: '', operation: 'set' as const, ...each })) },
        }),
      )
      return doing.say.mutateAsync({ edits: withEdits(edits, made), text })
    },
  })
}

/** A place of a device's configuration: what stands there and what may, as the language has it. */
export function PlaceForm(props: PlaceFormProps) {
  const { device, at, goTo } = props
  const lens = useLens()
  const place = useQuery({
    ...placeQuery(lens, device, at),
    // Another version of the change shows the same place; what is typed stays.
    placeholderData: (before) => (before?.at.join('\n') === at.join('\n') ? before : undefined),
  })
  return (
    <div className="mt-2">
      <nav aria-label="Place" className="mb-2 flex flex-wrap items-baseline gap-1">
        {[device, ...at].map((step, depth) => (
          <span key={depth} className="flex items-baseline gap-1">
            {depth > 0 && <span className="text-soft">›</span>}
            {depth < at.length ? (
              <button
                type="button"
                className="text-link hover:underline"
                onClick={() => goTo(at.slice(0, depth))}
              >
                <Mono>{step}</Mono>
              </button>
            ) : (
              <Mono className="font-semibold">{step}</Mono>
            )}
          </span>
        ))}
      </nav>
      {place.isError && <Problem error={place.error} />}
      {place.isPending && <Waiting what="Looking what stands there" />}
      {place.data && <Body key={[device, ...at].join('\n')} place={place.data} {...props} />}
    </div>
  )
}

function Body({ place, ...props }: PlaceFormProps & { place: Place }) {
  switch (place.kind) {
    case 'names':
      return <Names place={place} {...props} />
    case 'items':
      return <Items place={place} {...props} />
    case 'keys':
      return <Keys place={place} {...props} />
    case 'value':
      return <OneValue place={place} {...props} />
  }
}

const short = (text: string) => (text.length > 90 ? `${text.slice(0, 89)}…` : text)

function Names({ place, at, goTo, device, ...rest }: PlaceFormProps & { place: Place }) {
  const [name, setName] = useState('')
  const writing = useWriting(rest)
  return (
    <>
      <ul className="max-h-72 divide-y divide-line overflow-auto">
        {place.entries.map((entry) => (
          <li key={entry.name} className="flex items-baseline justify-between gap-3 py-1">
            <span className="min-w-0">
              <button
                type="button"
                className="text-link hover:underline"
                onClick={() => goTo([...at, entry.name])}
              >
                <Mono>{entry.name}</Mono>
              </button>
              <span className="block truncate text-sm text-soft" title={entry.value}>
                {short(entry.value)}
              </span>
            </span>
            <Remove
              name={entry.name}
              onClick={() =>
                writing.mutate({
                  places: [{ device, at: [...at, entry.name], value: null }],
                  text: `${device} ${[...at, entry.name].join(' ')} removed`,
                })
              }
            />
          </li>
        ))}
      </ul>
      <form
        className="mt-2 flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault()
          if (name.trim()) goTo([...at, name.trim()])
        }}
      >
        <Input
          room="dense"
          aria-label="A new one"
          placeholder="a new one: its name"
          value={name}
          onChange={(event) => setName(event.target.value)}
          className="min-w-0 flex-1"
        />
        <Button type="submit" className="py-0.5 text-sm">
          Fill it in
        </Button>
      </form>
      {writing.isError && <Problem error={writing.error} />}
    </>
  )
}

function Remove({ name, onClick }: { name: string; onClick: () => void }) {
  return (
    <button
      type="button"
      className="text-sm text-stop hover:underline"
      aria-label={`Remove ${name}`}
      onClick={onClick}
    >
      remove
    </button>
  )
}

function Items({ place, at, goTo, device, ...rest }: PlaceFormProps & { place: Place }) {
  const [typed, setTyped] = useState<Typed | null>(null)
  const [before, setBefore] = useState('')
  const writing = useWriting(rest)
  const where = `${device} ${at.join(' ')}`
  const move = (name: string, to: string) =>
    writing.mutate({
      places: [{ device, at: [...at, name], value: null, operation: 'move', before: to }],
      text: `${where} ${name} moved`,
    })
  const add = () =>
    writing.mutate(
      {
        places: [{ device, at, value: flowItem(typed ?? {}), operation: 'add', before: before || null }],
        text: `${where}: one more`,
      },
      { onSuccess: () => setTyped(null) },
    )
  return (
    <>
      <ol className="max-h-72 divide-y divide-line overflow-auto">
        {place.entries.map((entry, n) => {
          const above = place.entries[n - 1]
          return (
            <li key={entry.name} className="flex items-baseline justify-between gap-3 py-1">
              <span className="min-w-0">
                <button
                  type="button"
                  className="text-link hover:underline"
                  onClick={() => goTo([...at, entry.name])}
                >
                  <Mono>{entry.name}</Mono>
                </button>
                <span className="block truncate text-sm text-soft" title={entry.value}>
                  {short(entry.value)}
                </span>
              </span>
              <span className="flex gap-2 text-sm whitespace-nowrap">
                {above && (
                  <button
                    type="button"
                    className="text-link hover:underline"
                    aria-label={`Move ${entry.name} up`}
                    onClick={() => move(entry.name, above.name)}
                  >
                    up
                  </button>
                )}
                <Remove
                  name={entry.name}
                  onClick={() =>
                    writing.mutate({
                      places: [{ device, at: [...at, entry.name], value: null }],
                      text: `${where} ${entry.name} removed`,
                    })
                  }
                />
              </span>
            </li>
          )
        })}
        {place.entries.length === 0 && <li className="py-1 text-soft">None stands there.</li>}
      </ol>
      {typed === null ? (
        <Button className="mt-2 py-0.5 text-sm" onClick={() => setTyped({})}>
          Add {place.what}
        </Button>
      ) : (
        <form
          className="mt-2 border-t border-line pt-2"
          onSubmit={(event) => {
            event.preventDefault()
            add()
          }}
        >
          <FieldRows fields={place.fields} typed={typed} onType={setTyped} isNew />
          {place.entries.length > 0 && (
            <label className="mt-1 flex items-center gap-2 text-sm">
              <span className="text-soft">comes</span>
              <Select room="dense" value={before} onChange={(event) => setBefore(event.target.value)}>
                <option value="">last</option>
                {place.entries.map((entry) => (
                  <option key={entry.name} value={entry.name}>
                    before {entry.name}
                  </option>
                ))}
              </Select>
            </label>
          )}
          <span className="mt-2 flex gap-2">
            <Button type="submit" tone="main" disabled={writing.isPending}>
              Add it
            </Button>
            <Button onClick={() => setTyped(null)}>Leave it</Button>
          </span>
        </form>
      )}
      {writing.isError && <Problem error={writing.error} />}
    </>
  )
}

function Keys({ place, device, at, goTo, goToDevice, ...rest }: PlaceFormProps & { place: Place }) {
  const [typed, setTyped] = useState<Typed>({})
  const [both, setBoth] = useState(false)
  const writing = useWriting(rest)
  const other = useOtherEnd(device, at)
  const keys = Object.keys(typed)
  const save = () => {
    const wanted = (name: string, path: string[]): Wanted[] =>
      keys.map((key) => ({
        device: name,
        at: [...path, ...key.split(' ')],
        value: typed[key]?.trim() || null,
      }))
    const ends = other && both ? wanted(other.device, other.at) : []
    const told = keys.map((key) => `${key} ${typed[key] || 'taken out'}`).join(', ')
    writing.mutate(
      {
        places: [...wanted(device, at), ...ends],
        text: `${device} ${at.join(' ')}: ${told}${ends.length ? ', at both ends' : ''}`,
      },
      { onSuccess: () => setTyped({}) },
    )
  }
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        save()
      }}
    >
      <FieldRows
        fields={place.fields}
        typed={typed}
        onType={setTyped}
        goTo={(path) => goTo([...at, ...path])}
        isNew={place.value === null}
      />
      {other && (
        <div className="mt-2 rounded-md bg-sunk px-2 py-1 text-sm">
          The other end is{' '}
          <button
            type="button"
            className="text-link hover:underline"
            onClick={() => goToDevice(other.device, other.at)}
          >
            <Mono>
              {other.device} {other.at[1]}
            </Mono>
          </button>
          .
          <label className="mt-0.5 flex items-center gap-2">
            <input type="checkbox" checked={both} onChange={(event) => setBoth(event.target.checked)} />
            set the same there
          </label>
        </div>
      )}
      <span className="mt-2 flex items-center gap-3">
        <Button type="submit" tone="main" disabled={keys.length === 0 || writing.isPending}>
          Make it an edit
        </Button>
        {writing.isSuccess && keys.length === 0 && (
          <span role="status" className="text-sm text-go">
            ✓ in the change
          </span>
        )}
      </span>
      {writing.isError && <Problem error={writing.error} />}
    </form>
  )
}

function OneValue({ place, device, at, edits, doing }: PlaceFormProps & { place: Place }) {
  const [text, setText] = useState(place.value ?? '')
  const writing = useWriting({ edits, doing })
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        writing.mutate({
          places: [{ device, at, value: text.trim() || null }],
          text: `${device} ${at.join(' ')}: ${text.trim() || 'taken out'}`,
        })
      }}
    >
      <label className="block">
        <span className="text-sm text-soft">{place.what}</span>
        <Input
          mono
          room="dense"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="w-full"
        />
      </label>
      <Button
        type="submit"
        tone="main"
        className="mt-2"
        disabled={text === (place.value ?? '') || writing.isPending}
      >
        Make it an edit
      </Button>
      {writing.isError && <Problem error={writing.error} />}
    </form>
  )
}
