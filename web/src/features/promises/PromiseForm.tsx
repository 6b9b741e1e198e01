import { useMutation } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { api, data } from '../../api/client'
import type { StoredPromise } from '../../api/types'
import { Button, Problem } from '../../ui/controls'
import { Input, Select, TextArea } from '../../ui/fields'
import { usePlace } from '../lens/lens'
import { usePromisesChanged } from './usePromisesChanged'

/** What can be said of a flow, as the sentence begins after “must”. */
const CLAUSES = [
  'be delivered',
  'be blocked',
  'pass DEVICE',
  'avoid DEVICE',
  'leave by NETWORK',
  'take at most 8 hops',
  'have at least 2 branches that share no link',
  'carry 1500 bytes',
  'return the same way',
  'survive any link',
  'survive any two links',
  'stay separate from PROMISE',
]

const EMPTY = { name: '', sentence: '', severity: 'error' as const, owner: '', folder: '', note: '' }

/** Writes a promise that is kept here, or one of them anew. */
export function PromiseForm({ known, onEnd }: { known?: StoredPromise; onEnd: () => void }) {
  const { lens } = usePlace()
  const changed = usePromisesChanged()
  const [said, setSaid] = useState<Omit<StoredPromise, 'author' | 'created'>>(known ?? EMPTY)
  const put = (more: Partial<typeof said>) => setSaid((old) => ({ ...old, ...more }))
  const save = useMutation({
    mutationFn: () => {
      const { name, sentence, severity, owner, folder, note } = said
      const body = { name, sentence, severity, owner, folder, note }
      return known
        ? data(
            api.PUT('/api/networks/{slug}/promises/{name}', {
              params: { path: { slug: lens.slug, name: known.name } },
              body,
            }),
          )
        : data(api.POST('/api/networks/{slug}/promises', { params: { path: { slug: lens.slug } }, body }))
    },
    onSuccess: () => {
      changed()
      onEnd()
    },
  })
  const add = (clause: string) => {
    const text = said.sentence.trim()
    put({
      sentence: text.includes(' must')
        ? `${text} and ${clause}`
        : `${text || 'SOURCE to DESTINATION'} must ${clause}`,
    })
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    save.mutate()
  }
  return (
    <form
      onSubmit={submit}
      aria-label={known ? `Promise ${known.name}` : 'New promise'}
      className="flex flex-col gap-2 rounded-card border border-line bg-card p-3"
    >
      <label className="flex flex-col gap-1">
        Sentence
        <TextArea
          required
          rows={2}
          value={said.sentence}
          placeholder="kiosks to booking-web as tcp 443 must be delivered"
          onChange={({ target }) => put({ sentence: target.value })}
        />
      </label>
      <div className="flex flex-wrap items-center gap-1.5 text-sm">
        <span className="text-soft">add that it must</span>
        {CLAUSES.map((clause) => (
          <button
            key={clause}
            type="button"
            className="rounded-md border border-line bg-paper px-1.5 py-0.5 hover:border-chosen"
            onClick={() => add(clause)}
          >
            {clause}
          </button>
        ))}
      </div>
      <div className="flex flex-wrap gap-3">
        <Short label="Name" required value={said.name} onChange={(name) => put({ name })} />
        <label className="flex flex-col gap-1">
          Severity
          <Select
            value={said.severity}
            onChange={({ target }) => put({ severity: target.value as StoredPromise['severity'] })}
          >
            {['error', 'warning', 'note'].map((each) => (
              <option key={each}>{each}</option>
            ))}
          </Select>
        </label>
        <Short label="Owner" value={said.owner ?? ''} onChange={(owner) => put({ owner })} />
        <Short label="Folder" value={said.folder ?? ''} onChange={(folder) => put({ folder })} />
        <Short label="Note" value={said.note ?? ''} onChange={(note) => put({ note })} />
      </div>
      {save.isError && <Problem error={save.error} />}
      <div className="flex gap-2">
        <Button type="submit" tone="main" disabled={save.isPending}>
          Keep it
        </Button>
        <Button onClick={onEnd}>Cancel</Button>
      </div>
    </form>
  )
}

type ShortProps = { label: string; value: string; onChange: (value: string) => void; required?: boolean }

function Short({ label, value, onChange, required }: ShortProps) {
  return (
    <label className="flex flex-col gap-1">
      {label}
      <Input
        value={value}
        required={required}
        maxLength={80}
        className="w-40"
        onChange={({ target }) => onChange(target.value)}
      />
    </label>
  )
}
