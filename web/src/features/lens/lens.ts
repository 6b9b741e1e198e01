import { createContext, useCallback, useContext } from 'react'
import type { Base, Lens } from '../../api/queries'
import type { Network } from '../../api/types'

/** The network all pages below are about, with what the reader may do in it. */
export type Place = {
  network: Network
  lens: Lens
  /** A second lens, with which what is seen through the first is compared. */
  pinned?: Base
}

export const PlaceContext = createContext<Place | null>(null)

export function usePlace(): Place {
  const place = useContext(PlaceContext)
  if (!place) throw new Error('this page needs a network around it')
  return place
}

/** In what another lens differs from the one that is looked through. */
type More = { revision?: number; change?: string[]; fail?: string[]; tables?: string[] }

export function useLens(): Lens {
  return usePlace().lens
}

/**
 * Addresses of pages that keep looking through the same lens, which they name. `more` fails besides, or
 * looks through other changes, another revision or other tables.
 */
export function useLinkTo() {
  const { lens, pinned } = usePlace()
  return useCallback(
    (page: string, query: Record<string, string | number | undefined | null> = {}, more: More = {}) => {
      const params = new URLSearchParams()
      const revision = more.revision ?? lens.revision
      if (revision !== undefined) params.set('revision', String(revision))
      for (const name of more.change ?? lens.change ?? []) params.append('change', name)
      for (const failed of new Set([...(lens.fail ?? []), ...(more.fail ?? [])]))
        params.append('fail', failed)
      for (const word of more.tables ?? lens.tables ?? []) params.append('tables', word)
      if (pinned) {
        params.set('base_revision', String(pinned.revision))
        for (const name of pinned.change ?? []) params.append('base_change', name)
        for (const failed of pinned.fail ?? []) params.append('base_fail', failed)
      }
      for (const [key, value] of Object.entries(query)) {
        if (value !== undefined && value !== null && value !== '') params.set(key, String(value))
      }
      const text = params.toString()
      return `/n/${lens.slug}/${page}${text ? `?${text}` : ''}`
    },
    [lens, pinned],
  )
}

/** Where a file's line is shown. */
export function useFileLink() {
  const to = useLinkTo()
  return useCallback((file: string, line?: number | null) => to('devices/files', { file, line }), [to])
}
