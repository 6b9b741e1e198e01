import { createContext, useCallback, useContext } from 'react'
import type { Lens } from '../../api/queries'
import type { Network } from '../../api/types'

/** The network all pages below are about, with what the reader may do in it. */
export type Place = {
  network: Network
  lens: Lens
}

export const PlaceContext = createContext<Place | null>(null)

export function usePlace(): Place {
  const place = useContext(PlaceContext)
  if (!place) throw new Error('this page needs a network around it')
  return place
}

export function useLens(): Lens {
  return usePlace().lens
}

/** Addresses of pages that keep looking through the same lens, which they name; `fail` fails besides. */
export function useLinkTo() {
  const { lens } = usePlace()
  return useCallback(
    (page: string, query: Record<string, string | number | undefined | null> = {}, fail: string[] = []) => {
      const params = new URLSearchParams()
      if (lens.revision !== undefined) params.set('revision', String(lens.revision))
      for (const failed of new Set([...(lens.fail ?? []), ...fail])) params.append('fail', failed)
      for (const [key, value] of Object.entries(query)) {
        if (value !== undefined && value !== null && value !== '') params.set(key, String(value))
      }
      const text = params.toString()
      return `/n/${lens.slug}/${page}${text ? `?${text}` : ''}`
    },
    [lens],
  )
}

/** Where a file's line is shown. */
export function useFileLink() {
  const to = useLinkTo()
  return useCallback((file: string, line?: number | null) => to('devices/files', { file, line }), [to])
}
