import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState, type FormEvent } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, data } from '../../api/client'
import { changesQuery, fileQuery, filesQuery } from '../../api/queries'
import type { Change } from '../../api/types'
import { Button, Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { Input } from '../../ui/fields'
import { moment } from '../../ui/time'
import { counted } from '../../wording'
import { useLinkTo, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { ChangeTabs } from './ChangeTabs'
import { DropChange } from './DropChange'
import { useNewChange } from './useNewChange'

/** All changes of the network: those that are worked on, and what became of others. */
export function ChangesPage() {
  const { lens, network } = usePlace()
  const changes = useQuery(changesQuery(lens.slug))
  const isEditor = network.role !== 'viewer'
  const open = changes.data?.filter((change) => change.became === null) ?? []
  const accepted = changes.data?.filter((change) => change.became !== null) ?? []
  return (
    <div className="flex flex-col gap-3">
      <PageHead title="Changes" />
      <ChangeTabs />
      {isEditor && <Begin />}
      {changes.isError && <Problem error={changes.error} />}
      {changes.isPending && <Waiting what="Reading the changes" />}
      {changes.data && (
        <Panel title="Worked on">
          {open.length === 0 && (
            <p className="text-soft">
              None yet. A change is a list of edits with a purpose: you see all that moves for it, and the
              network stays as it is until you accept it.
            </p>
          )}
          <ul className="divide-y divide-line">
            {open.map((change) => (
              <Row key={change.name} change={change} />
            ))}
          </ul>
        </Panel>
      )}
      {lens.revision !== undefined && <InFiles isEditor={isEditor} />}
      {accepted.length > 0 && (
        <Panel title="Accepted">
          <ul className="divide-y divide-line">
            {accepted.map((change) => (
              <Row key={change.name} change={change} />
            ))}
          </ul>
        </Panel>
      )}
    </div>
  )
}

function Row({ change }: { change: Change }) {
  const { network, lens } = usePlace()
  const to = useLinkTo()
  return (
    <li className="flex items-start justify-between gap-4 py-2">
      <span className="min-w-0 flex-1">
        <Link className="font-semibold" to={toChange(to, change)}>
          {change.name}
        </Link>
        <span className="block">{change.purpose || 'no purpose is given'}</span>
        <span className="block text-sm text-soft">
          {counted(change.edits, 'edit')} on revision {change.revision ?? 'that is gone'}
          {change.below && `, on top of ${change.below}`}, {change.edited_by ?? 'somebody'},{' '}
          {moment(change.edited)}
        </span>
      </span>
      {change.became !== null ? (
        <Link to={to('compare', {}, { revision: change.became, change: [] })} className="whitespace-nowrap">
          became revision {change.became}
        </Link>
      ) : (
        change.name !== lens.change?.at(-1) &&
        change.edits > 0 && (
          <Link
            to={to('compare', {}, { change: [...(lens.change ?? []), change.name] })}
            className="whitespace-nowrap"
          >
            What moves
          </Link>
        )
      )}
      {network.role !== 'viewer' && change.became === null && <DropChange change={change} />}
    </li>
  )
}

/** A change is opened through the revision that it became of, or else through the present one. */
const toChange = (to: ReturnType<typeof useLinkTo>, { name, became, revision }: Change) =>
  to(
    `changes/${encodeURIComponent(name)}`,
    {},
    became !== null && revision !== null ? { change: [name], revision } : { change: [name] },
  )

/** A new change, from its purpose alone or from a change file. */
function Begin() {
  const { lens } = usePlace()
  const to = useLinkTo()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const [purpose, setPurpose] = useState('')
  const file = useRef<HTMLInputElement>(null)
  const open = (name: string) =>
    void navigate(to(`changes/${encodeURIComponent(name)}`, {}, { change: [name] }))
  const params = { path: { slug: lens.slug }, query: { revision: lens.revision } }
  const begin = useNewChange(open)
  const read = useMutation({
    mutationFn: async (text: Promise<string>) =>
      data(api.POST('/api/networks/{slug}/changes/import', { params, body: { text: await text } })),
    onSuccess: async ({ name }) => {
      await queries.invalidateQueries({ queryKey: changesQuery(lens.slug).queryKey })
      open(name)
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    begin.mutate({ purpose: purpose.trim() })
  }
  return (
    <Panel title="A new change">
      <form onSubmit={submit} className="flex flex-wrap items-center gap-3">
        <Input
          aria-label="What it is for"
          placeholder="what it is for, as “Gullspit goes by Drumlin while the line is mended”"
          value={purpose}
          onChange={(event) => setPurpose(event.target.value)}
          maxLength={1000}
          className="min-w-72 flex-1"
        />
        <Button type="submit" tone="main" disabled={begin.isPending || lens.revision === undefined}>
          Begin
        </Button>
        <Button
          onClick={() => file.current?.click()}
          disabled={read.isPending || lens.revision === undefined}
        >
          Read a change file
        </Button>
        <input
          ref={file}
          type="file"
          accept=".yaml,.yml"
          aria-label="A change file"
          className="hidden"
          onChange={({ target }) => {
            const chosen = target.files?.[0]
            if (chosen) read.mutate(chosen.text())
            target.value = ''
          }}
        />
      </form>
      {(begin.error ?? read.error) && <Problem error={begin.error ?? read.error} />}
    </Panel>
  )
}

/** Change files that lie beside the devices; they do nothing until somebody opens one. */
function InFiles({ isEditor }: { isEditor: boolean }) {
  const { lens } = usePlace()
  const files = useQuery(filesQuery(lens))
  const paths = (files.data ?? [])
    .map(({ path }) => path)
    .filter((path) => /(^|\/)changes\/[^/]+\.ya?ml$/.test(path))
  if (paths.length === 0) return null
  return (
    <Panel
      title="Change files of this revision"
      aside={<span className="text-soft">they do nothing by themselves</span>}
    >
      <ul className="divide-y divide-line">
        {paths.map((path) => (
          <FileRow key={path} path={path} isEditor={isEditor} />
        ))}
      </ul>
    </Panel>
  )
}

function FileRow({ path, isEditor }: { path: string; isEditor: boolean }) {
  const { lens } = usePlace()
  const to = useLinkTo()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const open = useMutation({
    mutationFn: async () => {
      const { text } = await queries.fetchQuery(fileQuery(lens, path))
      return data(
        api.POST('/api/networks/{slug}/changes/import', {
          params: { path: { slug: lens.slug }, query: { revision: lens.revision } },
          body: { text },
        }),
      )
    },
    onSuccess: async ({ name }) => {
      await queries.invalidateQueries({ queryKey: changesQuery(lens.slug).queryKey })
      void navigate(to(`changes/${encodeURIComponent(name)}`, {}, { change: [name] }))
    },
  })
  return (
    <li className="flex flex-wrap items-center justify-between gap-4 py-1.5">
      <Link to={to('devices/files', { file: path })}>
        <Mono>{path}</Mono>
      </Link>
      {isEditor && (
        <Button
          className="py-0.5 text-sm"
          aria-label={`Open ${path} as a change`}
          onClick={() => open.mutate()}
          disabled={open.isPending}
        >
          Open as a change
        </Button>
      )}
      {open.isError && <Problem error={open.error} />}
    </li>
  )
}
