import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, data } from '../../api/client'
import { networksQuery } from '../../api/queries'
import { Button, Panel, Problem, Waiting } from '../../ui/controls'
import { PageHead } from '../lens/PageHead'
import { moment } from '../../ui/time'
import { TextField } from '../../ui/fields'

/** The networks the user is a member of, and a way to begin a new one. */
export function NetworksPage() {
  const networks = useQuery(networksQuery)
  if (networks.isPending) return <Waiting what="Looking for your networks" />
  if (networks.isError) return <Problem error={networks.error} />
  return (
    <div className="grid gap-4">
      <PageHead title="Networks" shown="text-2xl font-semibold" />
      {networks.data.length === 0 && (
        <p>You are no member of any network yet. Begin one below, or ask its owner to add you.</p>
      )}
      <ul className="grid gap-2">
        {networks.data.map((network) => (
          <li
            key={network.slug}
            className="flex items-center gap-4 rounded-card border border-line bg-card px-4 py-3"
          >
            <div className="flex-1">
              <Link to={`/n/${network.slug}/flows`} className="text-lg font-semibold">
                {network.title}
              </Link>
              <p className="text-soft">
                {network.newest_revision
                  ? `revision ${network.newest_revision.number}, ${network.newest_revision.files} files, imported ${moment(network.newest_revision.created)}`
                  : 'nothing imported yet'}
                {`; you are ${network.role}`}
              </p>
            </div>
            {network.role !== 'viewer' && <Link to={`/n/${network.slug}/import`}>Import</Link>}
            <Link to={`/n/${network.slug}/devices/chart`}>Devices</Link>
            <Link to={`/n/${network.slug}/access`}>Tokens</Link>
          </li>
        ))}
      </ul>
      <NewNetwork />
    </div>
  )
}

function NewNetwork() {
  const [title, setTitle] = useState('')
  const navigate = useNavigate()
  const queries = useQueryClient()
  const create = useMutation({
    mutationFn: () => data(api.POST('/api/networks', { body: { title } })),
    onSuccess: async (network) => {
      await queries.invalidateQueries({ queryKey: networksQuery.queryKey })
      void navigate(`/n/${network.slug}/import`)
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    create.mutate()
  }
  return (
    <Panel title="Begin a new network">
      <form onSubmit={submit} className="flex items-end gap-3">
        <div className="flex-1">
          <TextField label="Name" value={title} onChange={setTitle} placeholder="as people call it" />
        </div>
        <Button type="submit" tone="main" className="mb-3" disabled={!title.trim() || create.isPending}>
          Begin, then import files
        </Button>
      </form>
      {create.isError && <Problem error={create.error} />}
    </Panel>
  )
}
