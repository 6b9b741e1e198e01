import { useId, useState } from 'react'
import type { PlaceField } from '../../api/types'
import { Mono } from '../../ui/controls'
import { Input, SearchInput, Select } from '../../ui/fields'

/** What was typed, by the keys on the way to a field, as `match prefixes`. */
export type Typed = Record<string, string>

type FieldRowsProps = {
  fields: PlaceField[]
  typed: Typed
  onType: (typed: Typed) => void
  /** Leads to names and items of their own; left out: they are typed as they stand in a file. */
  goTo?: (path: string[]) => void
  /** Nothing stands there yet: what is needed is shown first. */
  isNew?: boolean
}

type Row = { path: string[]; field: PlaceField }

/** Keys that are filled in before others find them: more than this many are searched in. */
const FEW = 8

/** The keys of a place: those that stand there, and the others where one looks for them. */
export function FieldRows({ fields, typed, onType, goTo, isNew = false }: FieldRowsProps) {
  const [wanted, setWanted] = useState('')
  const [all, setAll] = useState(false)
  const rows = flat(fields)
  const isShown = ({ path, field }: Row) => {
    const key = path.join(' ')
    const words = wanted.trim().toLowerCase()
    if (words) return key.includes(words) || field.help.toLowerCase().includes(words)
    return all || field.value !== null || key in typed || (isNew && field.required)
  }
  const shown = rows.filter(isShown)
  const hidden = rows.length - shown.length
  return (
    <div>
      {rows.length > FEW && (
        <SearchInput label="Find a key" value={wanted} onChange={setWanted} className="mb-1.5 w-full" />
      )}
      <div className="flex max-h-96 flex-col gap-1.5 overflow-auto">
        {shown.map((row) => (
          <FieldRow key={row.path.join(' ')} {...row} typed={typed} onType={onType} goTo={goTo} />
        ))}
        {shown.length === 0 && wanted && <p className="text-sm text-soft">No key has this in it.</p>}
      </div>
      {!wanted && hidden > 0 && (
        <button type="button" className="mt-1 text-sm text-link hover:underline" onClick={() => setAll(true)}>
          {hidden} more {hidden === 1 ? 'key' : 'keys'}
        </button>
      )}
      {!wanted && all && (
        <button
          type="button"
          className="mt-1 text-sm text-link hover:underline"
          onClick={() => setAll(false)}
        >
          fewer
        </button>
      )}
    </div>
  )
}

/** Keys of keys stand behind one another: `ospf cost`. */
function flat(fields: PlaceField[], path: string[] = []): Row[] {
  return fields.flatMap((field) =>
    field.kind === 'keys' && field.fields.length > 0
      ? flat(field.fields, [...path, field.key])
      : [{ path: [...path, field.key], field }],
  )
}

type FieldRowProps = Row & Pick<FieldRowsProps, 'typed' | 'onType' | 'goTo'>

function FieldRow({ path, field, typed, onType, goTo }: FieldRowProps) {
  const id = useId()
  const key = path.join(' ')
  const value = typed[key] ?? field.value ?? ''
  const type = (text: string) => {
    const others = Object.fromEntries(Object.entries(typed).filter(([name]) => name !== key))
    onType(text === (field.value ?? '') ? others : { ...others, [key]: text })
  }
  if (goTo && (field.kind === 'names' || field.kind === 'items'))
    return (
      <div className="grid grid-cols-[minmax(7rem,2fr)_3fr] items-baseline gap-2">
        <Key text={key} help={field.help} />
        <button type="button" className="text-left text-link hover:underline" onClick={() => goTo(path)}>
          {field.value === null ? 'none stands there' : 'open'}
        </button>
      </div>
    )
  return (
    <div className="grid grid-cols-[minmax(7rem,2fr)_3fr] items-baseline gap-2">
      <label htmlFor={id}>
        <Key text={key} help={field.help} isNeeded={field.required} />
      </label>
      {field.options.length > 0 ? (
        <Select
          id={id}
          room="dense"
          value={value}
          onChange={(event) => type(event.target.value)}
          className="min-w-0"
          aria-describedby={`${id}-help`}
        >
          <option value="">{field.default ? `not set: ${field.default}` : 'not set'}</option>
          {field.options.map((option) => (
            <option key={option} value={option}>
              {option}
            </option>
          ))}
        </Select>
      ) : (
        <Input
          id={id}
          mono
          room="dense"
          value={value}
          placeholder={field.default || field.expects}
          title={`${field.help}: ${field.expects}`}
          onChange={(event) => type(event.target.value)}
          className="min-w-0"
          aria-describedby={`${id}-help`}
        />
      )}
      <span id={`${id}-help`} className="sr-only">
        {field.help}: {field.expects}
      </span>
    </div>
  )
}

function Key({ text, help, isNeeded = false }: { text: string; help: string; isNeeded?: boolean }) {
  return (
    <span className="block min-w-0 break-words" title={help}>
      <Mono>{text}</Mono>
      {isNeeded && <span className="text-soft"> needed</span>}
    </span>
  )
}
