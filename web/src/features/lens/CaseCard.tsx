import { useQuery } from '@tanstack/react-query'
import { Link, useNavigate } from 'react-router'
import { changesQuery } from '../../api/queries'
import type { Case } from '../../api/types'
import { Problem } from '../../ui/controls'
import { failureWords, tablesWords } from '../../wording'
import { useNewChange } from '../changes/useNewChange'
import { useLinkTo, usePlace } from './lens'

type CaseCardProps = {
  complaint: Case
  page: string
  query: Record<string, string | number | null | undefined>
  asks: string
}

const CARD =
  'block h-full w-full rounded-card border border-line bg-paper p-3 text-left text-ink no-underline hover:border-chosen'

/** A complaint that came with the network. One that is asked with edits is made a change first. */
export function CaseCard({ complaint, page, query, asks }: CaseCardProps) {
  const to = useLinkTo()
  const { edits } = complaint
  const through = seenThrough(complaint)
  if (edits.length > 0) return <Edited complaint={complaint} page={page} query={query} asks={asks} />
  return (
    <Link to={to(page, query, through)} className={CARD}>
      <Words complaint={complaint} asks={asks} />
    </Link>
  )
}

function Edited({ complaint, page, query, asks }: CaseCardProps) {
  const { network, lens } = usePlace()
  const to = useLinkTo()
  const navigate = useNavigate()
  const { name, title, edits } = complaint
  const changes = useQuery(changesQuery(lens.slug))
  const isMade = changes.data?.some((change) => change.name === name)
  const seen = () => void navigate(to(page, query, { ...seenThrough(complaint), change: [name] }))
  const make = useNewChange(seen)
  if (network.role === 'viewer' && !isMade)
    return (
      <div className={CARD}>
        <Words complaint={complaint} asks={asks} />
        <span className="mt-1 block text-sm text-soft">
          An editor may make it a change, to be seen through.
        </span>
      </div>
    )
  return (
    <>
      <button
        type="button"
        className={`${CARD} cursor-pointer`}
        disabled={make.isPending}
        onClick={() => (isMade ? seen() : make.mutate({ name, purpose: title, edits }))}
      >
        <Words complaint={complaint} asks={asks} />
      </button>
      {make.isError && <Problem error={make.error} />}
    </>
  )
}

/** What has failed, and which tables are taken, when a complaint is asked. */
function seenThrough({ fail, tables }: Case) {
  return tables.length > 0 ? { fail, tables } : { fail }
}

function Words({ complaint, asks }: { complaint: Case; asks: string }) {
  const { title, story, fail, tables, edits } = complaint
  return (
    <>
      <strong className="text-link">{title}</strong>
      <span className="mt-0.5 block">{story}</span>
      <span className="mt-1 block font-mono text-[0.85em] text-soft">
        {asks}
        {fail.length > 0 && `, with ${fail.map(failureWords).join(', ')} failed`}
        {tables.length > 0 && `, ${tables.map(tablesWords).join(', ')}`}
        {edits.length > 0 && `, with ${edits.length === 1 ? 'an edit' : `${edits.length} edits`} as a change`}
      </span>
    </>
  )
}
