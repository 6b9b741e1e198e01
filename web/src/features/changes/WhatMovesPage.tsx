import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { revisionsQuery } from '../../api/queries'
import { Select } from '../../ui/fields'
import { moment } from '../../ui/time'
import { lensWords } from '../../wording'
import { PlaceContext, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { useSeeing } from '../lens/useSeeing'
import { PromisesMoved } from '../promises/PromisesMoved'
import { ChangeTabs } from './ChangeTabs'
import { Compared } from './Compared'

/** All that is not the same in the lens as in the pinned one; without that, as in its revision as it is. */
export function WhatMovesPage() {
  const { network, lens, pinned } = usePlace()
  const { see, pin } = useSeeing()
  const revisions = useQuery(revisionsQuery(lens.slug))
  const base = useMemo(() => pinned ?? { revision: lens.revision }, [pinned, lens.revision])
  const seen = useMemo(() => ({ network, lens, pinned: base }), [network, lens, base])
  const isSame = lensWords(base) === lensWords(lens)
  return (
    <div className="flex h-full min-h-0 flex-col gap-3">
      <ChangeTabs />
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <PageHead title="What moves" shown="text-lg font-semibold" />
        <span className="text-soft">seen through {lensWords(lens)}</span>
        <label className="flex items-baseline gap-2">
          compared with
          <Select
            room="dense"
            value={pinned?.change || pinned?.fail ? 'pinned' : (base.revision ?? '')}
            onChange={({ target }) => {
              if (target.value === 'pinned') return
              const isOwn = Number(target.value) === lens.revision
              see({ base_revision: isOwn ? [] : [target.value], base_change: [], base_fail: [] })
            }}
          >
            {(pinned?.change || pinned?.fail) && <option value="pinned">{lensWords(pinned)}</option>}
            {(revisions.data ?? []).map((revision) => (
              <option key={revision.number} value={revision.number}>
                revision {revision.number}
                {revision.name && ` “${revision.name}”`}, {moment(revision.created)}
                {revision.number === lens.revision ? ', as it is' : ''}
              </option>
            ))}
          </Select>
        </label>
        <button
          type="button"
          className="text-link hover:underline"
          title="Keep what is seen now as the second lens, and compare with it whatever is seen next"
          onClick={pin}
        >
          Compare others with this
        </button>
      </div>
      {isSame ? (
        <p>
          Both are the same. Open a change, let something fail on the chart, at a hop or in a device’s sheet,
          or compare with another revision.
        </p>
      ) : (
        <PlaceContext value={seen}>
          <Compared lens={lens} base={base} />
          <PromisesMoved lens={lens} base={base} />
        </PlaceContext>
      )}
    </div>
  )
}
