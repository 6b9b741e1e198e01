import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/react'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { revisionsQuery } from '../../api/queries'
import type { Revision } from '../../api/types'
import { useAddress, usePlace } from './lens'

const when = (iso: string) =>
  new Date(iso).toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  })

/** What everything on the page is seen through. So far a lens is a revision. */
export function LensBar() {
  const { network, lens } = usePlace()
  const [, change] = useAddress()
  const { data: revisions = [] } = useQuery(revisionsQuery(lens.slug))
  const newest = network.newest_revision
  const shown =
    revisions.find((r) => r.number === lens.revision) ?? (newest?.number === lens.revision ? newest : null)
  if (!shown) {
    return (
      <span className="text-sea-soft">
        nothing imported yet
        {network.role !== 'viewer' && (
          <>
            :{' '}
            <Link className="text-sea-ink underline" to={`/n/${lens.slug}/import`}>
              import files
            </Link>
          </>
        )}
      </span>
    )
  }
  const pick = (revision: Revision) =>
    change({ revision: revision.number === newest?.number ? null : String(revision.number) })
  return (
    <Listbox value={shown} onChange={pick} by="number">
      <ListboxButton className="flex items-baseline gap-2 rounded-md border border-sea-soft/50 px-3 py-1 text-sea-ink hover:border-sea-ink">
        <span className="text-sea-soft">seen through revision</span>{' '}
        <span className="font-semibold">{shown.number}</span>{' '}
        <span className="text-sea-soft">{when(shown.created)}</span>{' '}
        {shown.number !== newest?.number && (
          <span className="rounded bg-warn-wash px-1 text-warn">not the newest</span>
        )}
        <span aria-hidden className="text-sea-soft">
          ▾
        </span>
      </ListboxButton>
      <ListboxOptions
        anchor="bottom start"
        className="z-30 mt-1 max-h-80 min-w-72 rounded-md border border-line bg-card p-1 text-ink shadow-lg"
      >
        {revisions.map((revision) => (
          <ListboxOption
            key={revision.number}
            value={revision}
            className="cursor-pointer rounded px-3 py-1.5 data-focus:bg-sunk data-selected:font-semibold"
          >
            revision {revision.number}{' '}
            <span className="text-soft">
              {when(revision.created)}
              {revision.author ? `, ${revision.author}` : ''}
              {revision.note ? `: ${revision.note}` : ''}
            </span>
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  )
}
