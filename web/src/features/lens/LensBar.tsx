import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/react'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { revisionsQuery } from '../../api/queries'
import type { Revision } from '../../api/types'
import { useAddress } from '../../ui/address'
import { moment } from '../../ui/time'
import { ChosenTables } from './ChosenTables'
import { FailedThings } from './FailedThings'
import { usePlace } from './lens'
import { MadeChanges } from './MadeChanges'
import { PinnedLens } from './PinnedLens'
import { OF_ONE_LENS } from './useSeeing'

const OF_ONE_REVISION = Object.fromEntries(OF_ONE_LENS.map((key) => [key, null]))

/** What everything on the page is seen through: a revision, and what has failed in it. */
export function LensBar() {
  const { network, lens } = usePlace()
  const [, change] = useAddress()
  const { data: revisions = [] } = useQuery(revisionsQuery(lens.slug))
  const newest = network.newest_revision
  const shown =
    revisions.find((r) => r.number === lens.revision) ?? (newest?.number === lens.revision ? newest : null)
  const { revision: number } = lens
  if (number === undefined) {
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
  const look = (number: number) => change({ revision: String(number), ...OF_ONE_REVISION })
  return (
    <span className="flex min-w-0 flex-wrap items-center gap-2">
      <Listbox value={shown} onChange={(revision: Revision | null) => revision && look(revision.number)}>
        <ListboxButton className="flex items-baseline gap-2 rounded-md border border-sea-soft px-3 py-1 whitespace-nowrap text-sea-ink hover:border-sea-ink">
          <span className="text-sea-soft">Revision</span> <span className="font-semibold">{number}</span>{' '}
          <span className={`text-sea-soft ${lens.change || lens.fail ? 'max-2xl:hidden' : 'max-lg:hidden'}`}>
            {shown && moment(shown.created)}
          </span>{' '}
          <span aria-hidden className="text-sea-soft">
            ▾
          </span>
        </ListboxButton>
        <ListboxOptions
          anchor="bottom start"
          modal={false}
          className="z-30 mt-1 max-h-80 max-w-[90vw] min-w-72 rounded-md border border-line bg-card p-1 text-ink shadow-lg"
        >
          {revisions.map((revision) => (
            <ListboxOption
              key={revision.number}
              value={revision}
              className="cursor-pointer rounded px-3 py-1.5 data-focus:bg-sunk data-selected:font-semibold"
            >
              revision {revision.number}{' '}
              <span className="text-soft">
                {moment(revision.created)}
                {revision.author ? `, ${revision.author}` : ''}
                {revision.name || revision.note ? `: ${revision.name || revision.note}` : ''}
              </span>
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      {newest && newest.number > number && (
        <button
          type="button"
          onClick={() => look(newest.number)}
          className="rounded bg-warn-wash px-1.5 py-0.5 whitespace-nowrap text-warn hover:underline"
        >
          revision {newest.number} is newer
        </button>
      )}
      <MadeChanges />
      <FailedThings />
      <ChosenTables />
      <PinnedLens />
    </span>
  )
}
