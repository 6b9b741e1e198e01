import { useQuery } from '@tanstack/react-query'
import { Suspense, useMemo, useState, type FormEvent, type KeyboardEvent } from 'react'
import { fileQuery, filesQuery } from '../../api/queries'
import { FileText } from '../../pages'
import { useAddress, useTyped } from '../../ui/address'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { Input, SearchInput } from '../../ui/fields'
import { sortedByName } from '../../ui/natural'
import { ChangeIt } from '../changes/ChangeIt'
import { useLens } from '../lens/lens'
import { PromisesUsing } from '../promises/PromisesUsing'
import { placesOf } from './places'

/** The files of the revision: one of them to read, to search in, and to cite by its lines. */
export function FilesView() {
  const files = useQuery(filesQuery(useLens()))
  const [params, change] = useAddress()
  const [wanted, setWanted] = useTyped('files')
  const sorted = useMemo(() => sortedByName(files.data ?? [], (each) => each.path), [files.data])
  if (files.isPending) return <Waiting what="Reading the files" />
  if (files.isError) return <Problem error={files.error} />
  const path = params.get('file') ?? sorted[0]?.path ?? null
  const shown = sorted.filter((each) => each.path.toLowerCase().includes(wanted.trim().toLowerCase()))
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(12rem,17rem)_minmax(0,1fr)] gap-3">
      <Panel
        title={
          shown.length < sorted.length
            ? `${shown.length} of ${sorted.length} files`
            : `${sorted.length} files`
        }
        className="flex min-h-0 flex-col"
      >
        <SearchInput label="Filter files" value={wanted} onChange={setWanted} className="mb-1.5 w-full" />
        <ul className="min-h-0 flex-1 overflow-auto">
          {shown.map((each) => (
            <li key={each.path}>
              <button
                type="button"
                aria-current={each.path === path}
                ref={each.path === path ? bringIntoSight : undefined}
                onClick={() => change({ file: each.path, line: null })}
                className="w-full rounded px-2 py-0.5 text-left font-mono text-[0.86em] break-words hover:bg-sunk aria-[current=true]:bg-chosen-wash aria-[current=true]:font-semibold"
              >
                {each.path}
              </button>
            </li>
          ))}
        </ul>
        {shown.length === 0 && <p className="text-soft">No file has this in its name.</p>}
      </Panel>
      {path !== null && <FileView key={path} path={path} />}
    </div>
  )
}

const bringIntoSight = (element: HTMLElement | null) => element?.scrollIntoView({ block: 'nearest' })

function FileView({ path }: { path: string }) {
  const file = useQuery(fileQuery(useLens(), path))
  const [params, change] = useAddress()
  const [wanted, setWanted] = useTyped('find')
  const [number, setNumber] = useState(0)
  const line = Number(params.get('line')) || undefined
  const text = file.data?.text ?? ''
  const places = useMemo(() => placesOf(text, wanted), [text, wanted])
  const piece = places[number % Math.max(1, places.length)] ?? null
  const step = (by: number) => setNumber((at) => (at + by + places.length) % Math.max(1, places.length))
  const onKey = (event: KeyboardEvent) => {
    if (event.key !== 'Enter') return
    event.preventDefault()
    step(event.shiftKey ? -1 : 1)
  }
  const jump = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault()
    const asked = Number(new FormData(event.currentTarget).get('line'))
    if (asked >= 1) change({ line: String(Math.min(asked, text.split('\n').length)) })
  }
  return (
    <Panel
      title={path}
      aside={
        <span className="flex gap-4 text-soft">
          {line ? `line ${line} is cited` : 'a click on a line number makes a link to it'}
          <ChangeIt
            adding={{ kind: 'text', file: path, line }}
            about={line ? `${path}:${line}` : path}
            label={line ? 'Edit there' : 'Edit it'}
          />
        </span>
      }
      className="flex min-h-0 flex-col"
    >
      <div className="mb-1.5 flex flex-wrap items-center gap-x-3 gap-y-1">
        <SearchInput
          label="Find in this file"
          value={wanted}
          onChange={(words) => {
            setWanted(words)
            setNumber(0)
          }}
          onKeyDown={onKey}
          className="w-52"
        />
        {wanted.trim() && (
          <span role="status" className="flex items-baseline gap-2 text-soft">
            {places.length === 0 ? 'not in this file' : `${(number % places.length) + 1} of ${places.length}`}
            {places.length > 1 && (
              <>
                <button type="button" className="text-link hover:underline" onClick={() => step(-1)}>
                  previous
                </button>
                <button type="button" className="text-link hover:underline" onClick={() => step(1)}>
                  next
                </button>
              </>
            )}
          </span>
        )}
        <form onSubmit={jump} aria-label="Go to a line" className="flex items-center gap-2 text-soft">
          go to line
          <Input name="line" inputMode="numeric" aria-label="go to line" room="dense" className="w-16" />
        </form>
      </div>
      {line && <PromisesUsing key={line} used={{ file: path, line }} />}
      {file.isError && <Problem error={file.error} />}
      {file.data && (
        <Suspense fallback={<Waiting what="Opening the file" />}>
          <FileText text={text} line={line} piece={piece} onLine={(at) => change({ line: String(at) })} />
        </Suspense>
      )}
    </Panel>
  )
}
