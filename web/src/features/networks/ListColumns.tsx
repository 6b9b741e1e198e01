import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, data } from '../../api/client'
import { listKindsQuery } from '../../api/queries'
import type { ImportJob } from '../../api/types'
import { Button, Problem } from '../../ui/controls'
import { Select } from '../../ui/fields'
import { usePlace } from '../lens/lens'
import { useAgain } from './Again'

type File = NonNullable<NonNullable<ImportJob['answer']>['files']>[number]
type Columns = NonNullable<File['columns']>
type ColumnsProps = { id: number; columns: Columns }

/** What a list was taken for; editors say otherwise, which is remembered, and the files are read again. */
export function ListColumns({ id, columns }: ColumnsProps) {
  const { network } = usePlace()
  const [isOpen, setOpen] = useState(false)
  if (network.role === 'viewer') return null
  return (
    <div className="my-1">
      <button
        type="button"
        aria-expanded={isOpen}
        className="text-sm text-link hover:underline"
        onClick={() => setOpen(!isOpen)}
      >
        {columns.kind ? `Taken for a list of ${columns.kind}; is it another?` : 'Say what its columns are'}
      </button>
      {isOpen && <Form id={id} columns={columns} />}
    </div>
  )
}

function Form({ id, columns }: ColumnsProps) {
  const { network } = usePlace()
  const kinds = useQuery(listKindsQuery(network.slug))
  const again = useAgain(id)
  const [kind, setKind] = useState(columns.kind ?? '')
  const [taken, setTaken] = useState<Record<string, string>>(columns.taken)
  const keep = useMutation({
    mutationFn: () =>
      data(
        api.POST('/api/networks/{slug}/lists', {
          params: { path: { slug: network.slug } },
          body: { header: columns.header, kind: kind as Columns['kind'], taken },
        }),
      ),
    onSuccess: () => again.mutate({ preview: true }),
  })
  if (kinds.isError) return <Problem error={kinds.error} />
  const chosen = kinds.data?.find((each) => each.name === kind)
  const choose = (name: string, own: string) => {
    const rest = Object.fromEntries(Object.entries(taken).filter(([column]) => column !== name))
    setTaken(own ? { ...rest, [name]: own } : rest)
  }
  return (
    <form
      aria-label="Columns"
      className="mt-1 rounded-card border border-line bg-paper p-2.5"
      onSubmit={(event) => {
        event.preventDefault()
        keep.mutate()
      }}
    >
      <label className="flex items-center gap-2">
        It is a list of
        <Select
          room="dense"
          value={kind}
          onChange={(event) => {
            setKind(event.target.value)
            setTaken({})
          }}
        >
          <option value="">—</option>
          {kinds.data?.map((each) => (
            <option key={each.name} value={each.name}>
              {each.name}
            </option>
          ))}
        </Select>
      </label>
      {chosen && (
        <div className="mt-2 grid grid-cols-2 gap-x-4 gap-y-1 lg:grid-cols-3">
          {chosen.columns.map((name) => (
            <label key={name} className="flex items-center justify-between gap-2">
              <span className={chosen.needed.includes(name) ? 'font-semibold' : ''}>{name}</span>
              <Select
                room="dense"
                className="w-36"
                value={taken[name] ?? ''}
                onChange={(event) => choose(name, event.target.value)}
              >
                <option value="">{chosen.needed.includes(name) ? 'needed' : 'none'}</option>
                {columns.header.filter(Boolean).map((own) => (
                  <option key={own} value={own}>
                    {own}
                  </option>
                ))}
              </Select>
            </label>
          ))}
        </div>
      )}
      <p className="mt-2 flex items-center justify-between gap-3">
        <span className="text-sm text-soft">Remembered for lists with the same columns.</span>
        <Button
          tone="main"
          type="submit"
          disabled={!chosen?.needed.every((name) => taken[name]) || keep.isPending || again.isPending}
        >
          Take it so and read again
        </Button>
      </p>
      {keep.isError && <Problem error={keep.error} />}
      {again.isError && <Problem error={again.error} />}
    </form>
  )
}
