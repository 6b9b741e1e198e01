import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { api, data } from '../../api/client'
import { changesQuery } from '../../api/queries'
import type { Change } from '../../api/types'
import { Problem } from '../../ui/controls'
import { useLens } from '../lens/lens'

/** Drops a change. It stays in its place until one leaves, so that it can be taken back. */
export function DropChange({ change }: { change: Change }) {
  const { slug } = useLens()
  const queries = useQueryClient()
  const path = { slug, name: change.name }
  const key = changesQuery(slug).queryKey
  const drop = useMutation({
    mutationFn: () =>
      data(
        api.DELETE('/api/networks/{slug}/changes/{name}', {
          params: { path, query: { version: change.version } },
        }),
      ),
  })
  const back = useMutation({
    mutationFn: () => data(api.POST('/api/networks/{slug}/changes/{name}/back', { params: { path } })),
    onSuccess: () => {
      drop.reset()
      return queries.invalidateQueries({ queryKey: key })
    },
  })
  useEffect(
    () => () => {
      if (drop.isSuccess) void queries.invalidateQueries({ queryKey: key })
    },
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key is made anew each time
    [drop.isSuccess, queries],
  )
  if (drop.isSuccess)
    return (
      <span role="status" className="flex gap-3 whitespace-nowrap text-soft">
        dropped
        <button
          type="button"
          className="text-link hover:underline"
          disabled={back.isPending}
          onClick={() => back.mutate()}
        >
          Take it back
        </button>
        {back.isError && <Problem error={back.error} />}
      </span>
    )
  return (
    <>
      <button
        type="button"
        className="whitespace-nowrap text-stop hover:underline"
        disabled={drop.isPending}
        onClick={() => drop.mutate()}
        aria-label={`Drop the change ${change.name}`}
      >
        drop
      </button>
      {drop.isError && <Problem error={drop.error} />}
    </>
  )
}
