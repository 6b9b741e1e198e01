import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useState } from 'react'
import { api, data } from '../../api/client'
import { placesQuery } from '../../api/queries'
import { usePlace } from '../lens/lens'
import type { Places } from './place'

type Kept = Record<string, number[] | null>
/** What was done, and what takes it back. */
type Step = { forth: Kept; back: Kept }

const pointsOf = (kept: Kept): Places =>
  Object.fromEntries(
    Object.entries(kept).flatMap(([id, place]) => {
      const [x, y] = place ?? []
      return x === undefined || y === undefined ? [] : [[id, { x, y }]]
    }),
  )
const keptOf = (places: Places): Kept =>
  Object.fromEntries(Object.entries(places).map(([id, { x, y }]) => [id, [round(x), round(y)]]))
const round = (value: number) => Math.round(value * 10) / 10

/** Where things stand on this network's chart: kept for everybody, moved by editors, with undo. */
export function usePlaces() {
  const { network, lens } = usePlace()
  const queries = useQueryClient()
  const key = placesQuery(lens.slug).queryKey
  const kept = useQuery(placesQuery(lens.slug))
  const [steps, setSteps] = useState<Step[]>([])
  const [turn, setTurn] = useState(0)
  const mayMove = network.role !== 'viewer'
  const save = useMutation({
    mutationFn: (places: Kept) =>
      data(
        api.PATCH('/api/networks/{slug}/chart/places', {
          params: { path: { slug: lens.slug } },
          body: { places },
        }),
      ),
    onError: () => queries.invalidateQueries({ queryKey: key }),
  })
  const { mutate } = save
  const now = kept.data?.places as Kept | undefined
  const put = useCallback(
    (places: Kept) => {
      queries.setQueryData(key, (before: { places: Kept } | undefined) => {
        const merged = { ...before?.places, ...places }
        return { places: Object.fromEntries(Object.entries(merged).filter(([, place]) => place !== null)) }
      })
      setTurn((turn) => turn + 1)
      mutate(places)
    },
    [key, mutate, queries],
  )

  const move = (places: Places) => {
    const forth = keptOf(places)
    const back = Object.fromEntries(Object.keys(forth).map((id) => [id, now?.[id] ?? null]))
    setSteps((before) => [...before, { forth, back }])
    put(forth)
  }
  const undo = () => {
    const last = steps[steps.length - 1]
    if (!last) return
    setSteps(steps.slice(0, -1))
    put(last.back)
  }
  /** Everything is laid out anew; that can be undone as well. */
  const reset = () => {
    const back = now ?? {}
    const forth = Object.fromEntries(Object.keys(back).map((id) => [id, null]))
    setSteps((before) => [...before, { forth, back }])
    put(forth)
  }
  /** What was laid out is kept as it is, so that it moves little when a device is added. */
  const keep = useCallback(
    (places: Places) => {
      const differs = ([id, place]: [string, number[] | null]) => String(now?.[id]) !== String(place)
      const fresh = Object.fromEntries(Object.entries(keptOf(places)).filter(differs))
      if (!mayMove || !now || Object.keys(fresh).length === 0) return
      queries.setQueryData(key, { places: { ...now, ...fresh } })
      mutate(fresh)
    },
    [key, mayMove, mutate, now, queries],
  )
  return {
    known: now ? pointsOf(now) : null,
    error: kept.error ?? save.error,
    /** Another one for every other places: what was laid out for those before is of no use. */
    version: `${kept.dataUpdatedAt} ${turn}`,
    mayMove,
    canUndo: steps.length > 0,
    isKept: now !== undefined && Object.keys(now).length > 0,
    move,
    undo,
    reset,
    keep,
  }
}
