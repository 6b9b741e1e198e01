import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate } from 'react-router'
import { api } from '../../api/client'
import { jobsQuery, networksQuery, revisionsQuery } from '../../api/queries'
import type { Job } from '../../api/types'
import { moment } from '../../ui/time'
import { Confirm } from '../../ui/Confirm'
import { Panel, Problem } from '../../ui/controls'
import { usePlace } from '../lens/lens'

/** The revisions and imports of a network; owners delete them here, and the network itself. */
export function Kept() {
  const { network } = usePlace()
  const { slug } = network
  const queries = useQueryClient()
  const navigate = useNavigate()
  const revisions = useQuery(revisionsQuery(slug))
  const jobs = useQuery(jobsQuery(slug))
  const owner = network.role === 'owner'
  const imports = jobs.data?.filter((job) => job.kind === 'import') ?? []
  const changed = () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ['network', slug] }),
      queries.invalidateQueries({ queryKey: networksQuery.queryKey }),
    ])
  const dropRevision = (number: number) =>
    api
      .DELETE('/api/networks/{slug}/revisions/{number}', { params: { path: { slug, number } } })
      .then(changed)
  const dropImport = (id: number) => api.DELETE('/api/jobs/{id}', { params: { path: { id } } }).then(changed)
  const dropNetwork = async () => {
    await api.DELETE('/api/networks/{slug}', { params: { path: { slug } } })
    await queries.invalidateQueries({ queryKey: networksQuery.queryKey })
    void navigate('/')
  }
  return (
    <Panel
      title="What is kept"
      aside={
        owner && (
          <Confirm
            label="Delete this network"
            title={`Delete ${network.title}?`}
            action="Delete the network"
            onConfirm={dropNetwork}
            text="All its revisions, imports, saved questions, drafts and memberships go with it, for good."
          />
        )
      }
    >
      {(revisions.error ?? jobs.error) && <Problem error={revisions.error ?? jobs.error} />}
      <div className="grid gap-6 md:grid-cols-2">
        <section aria-label="Revisions">
          <h3 className="mb-1 text-soft">Revisions</h3>
          <ul className="max-h-72 divide-y divide-line overflow-auto">
            {revisions.data?.map((revision) => (
              <li key={revision.number} className="flex items-baseline gap-3 py-1.5">
                <strong className="w-8 text-right">
                  <Link to={`/n/${slug}/history?revision=${revision.number}`}>{revision.number}</Link>
                </strong>
                <span className="flex-1">
                  {moment(revision.created)}
                  {revision.author && `, ${revision.author}`}
                  <span className="block text-sm text-soft">
                    {revision.files} files{revision.note && `; ${revision.note}`}
                  </span>
                </span>
                {owner && (
                  <Confirm
                    label="delete"
                    name={`Delete revision ${revision.number}`}
                    title={`Delete revision ${revision.number}?`}
                    action="Delete the revision"
                    onConfirm={() => dropRevision(revision.number)}
                    text="Its files, drafts and searches go with it, for good. Links to it lead nowhere then."
                  />
                )}
              </li>
            ))}
          </ul>
        </section>
        <section aria-label="Imports">
          <h3 className="mb-1 text-soft">Imports</h3>
          {imports.length === 0 && <p>None yet.</p>}
          <ul className="max-h-72 divide-y divide-line overflow-auto">
            {imports.map((job) => (
              <li key={job.id} className="flex items-baseline gap-3 py-1.5">
                <span className="flex-1">
                  <Link to={`/n/${slug}/imports/${job.id}`}>{moment(job.created)}</Link>, {job.author}
                  <span className="block text-sm text-soft">{words(job)}</span>
                </span>
                {owner && (
                  <Confirm
                    label="delete"
                    name={`Delete the import of ${moment(job.created)}`}
                    title="Delete this import?"
                    action="Delete the import"
                    onConfirm={() => dropImport(job.id)}
                    text="The files that were uploaded for it go with it, and its list of problems. A revision that it became stays."
                  />
                )}
              </li>
            ))}
          </ul>
        </section>
      </div>
    </Panel>
  )
}

const words = (job: Job) =>
  job.message ||
  (job.status === 'queued' ? 'waiting for its turn' : `${job.step}, ${job.done} of ${job.total} files`)
