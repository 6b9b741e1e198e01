import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useId, useState } from 'react'
import { chartQuery } from '../../api/queries'
import type { Edit } from '../../api/types'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { Input } from '../../ui/fields'
import { sortedByName } from '../../ui/natural'
import { useLens } from '../lens/lens'
import { PlaceForm } from './PlaceForm'
import { useAdding, type Adding } from './useAdding'
import type { useChange } from './useChange'

/** What engineers change most, and the place where each begins. */
const BEGINNINGS: { title: string; at: string[] }[] = [
  { title: 'Interface, cost, MTU', at: ['interfaces'] },
  { title: 'Static route', at: ['static'] },
  { title: 'Distance', at: ['distances'] },
  { title: 'Filter rule', at: ['filters'] },
  { title: 'Policy', at: ['policies'] },
  { title: 'Steering', at: ['steering'] },
  { title: 'BGP', at: ['bgp'] },
  { title: 'OSPF, areas', at: ['ospf'] },
  { title: 'IS-IS', at: ['isis'] },
  { title: 'VRF', at: ['vrfs'] },
  { title: 'Anything else', at: [] },
]

type AddEditProps = { edits: Edit[]; doing: ReturnType<typeof useChange> }

/** Adds an edit: a place of a device's configuration as a form, or the text of a file. */
export function AddEdit({ edits, doing }: AddEditProps) {
  const [adding, setAdding] = useAdding()
  const device = adding?.kind === 'place' ? adding.device : ''
  const pick = useCallback(
    (name: string) => adding?.kind === 'place' && setAdding({ ...adding, device: name }),
    [adding, setAdding],
  )
  return (
    <Panel
      title="Add an edit"
      aside={
        adding && (
          <button type="button" className="text-link hover:underline" onClick={() => setAdding(null)}>
            close
          </button>
        )
      }
    >
      <div className="flex flex-wrap gap-1.5">
        {BEGINNINGS.map(({ title, at }) => (
          <button
            key={title}
            type="button"
            aria-pressed={isAt(adding, at)}
            className="rounded-md border border-edge px-2 py-0.5 text-sm hover:bg-sunk aria-pressed:bg-chosen-wash aria-pressed:font-semibold"
            onClick={() => setAdding({ kind: 'place', device, at })}
          >
            {title}
          </button>
        ))}
        <button
          type="button"
          aria-pressed={adding?.kind === 'text'}
          className="rounded-md border border-edge px-2 py-0.5 text-sm hover:bg-sunk aria-pressed:bg-chosen-wash aria-pressed:font-semibold"
          onClick={() => setAdding({ kind: 'text', file: '', line: undefined })}
        >
          Text of a file
        </button>
      </div>
      {adding?.kind === 'place' && (
        <>
          <DevicePick device={device} onPick={pick} />
          {device && (
            <PlaceForm
              key={device}
              device={device}
              at={adding.at}
              goTo={(at) => setAdding({ kind: 'place', device, at })}
              goToDevice={(name, at) => setAdding({ kind: 'place', device: name, at })}
              edits={edits}
              doing={doing}
            />
          )}
        </>
      )}
      {adding?.kind === 'text' && (
        <p className="mt-2 text-sm text-soft">Choose and edit the file on the right.</p>
      )}
    </Panel>
  )
}

const isAt = (adding: Adding | null, at: string[]) =>
  adding?.kind === 'place' && (at.length === 0 ? adding.at.length === 0 : adding.at[0] === at[0])

/** Chooses a device by its name; the form opens once there is one of that name. */
function DevicePick({ device, onPick }: { device: string; onPick: (device: string) => void }) {
  const { slug, revision } = useLens()
  const list = useId()
  const [typed, setTyped] = useState(device)
  const [picked, setPicked] = useState(device)
  if (picked !== device) {
    setPicked(device)
    setTyped(device)
  }
  const chart = useQuery(chartQuery({ slug, revision }))
  const names = sortedByName(chart.data?.devices ?? [], (each) => each.name).map((each) => each.name)
  const beginning = typed ? names.filter((name) => name.startsWith(typed)) : []
  const meant = names.includes(typed) ? typed : undefined
  useEffect(() => {
    // The names may come after one was typed.
    if (meant !== undefined && meant !== device) onPick(meant)
  }, [meant, device, onPick])
  return (
    <form
      className="mt-2"
      onSubmit={(event) => {
        event.preventDefault()
        if (beginning.length === 1) setTyped(beginning[0] ?? typed)
      }}
    >
      <label className="flex items-center gap-2">
        <span className="text-soft">device</span>
        <Input
          room="dense"
          list={list}
          value={typed}
          placeholder="its name"
          className="flex-1"
          onChange={({ target }) => setTyped(target.value)}
        />
      </label>
      <datalist id={list}>
        {names.map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
      {typed !== '' && chart.isPending && <Waiting what="Reading the names of devices" />}
      {typed !== '' && chart.data && beginning.length === 0 && (
        <p role="status" className="mt-1 text-sm text-warn">
          No device’s name begins with “{typed}”.
        </p>
      )}
      {chart.isError && <Problem error={chart.error} />}
    </form>
  )
}
