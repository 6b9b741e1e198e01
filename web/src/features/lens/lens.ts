import { createContext, useCallback, useContext } from 'react'
import { useSearchParams } from 'react-router'
import type { Lens } from '../../api/queries'
import type { Network } from '../../api/types'

/** The network all pages below are about, with what the reader may do in it. */
export type Place = {
  network: Network
  lens: Lens
  /** Whether the address names the revision, so that links go on naming it; else they follow the newest. */
  pinned: boolean
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

/** Addresses of pages that keep looking through the same lens. */
export function useLinkTo() {
  const { lens, pinned } = usePlace()
  return useCallback(
    (page: string, query: Record<string, string | number | undefined | null> = {}) => {
      const params = new URLSearchParams()
      if (pinned && lens.revision !== undefined) params.set('revision', String(lens.revision))
      for (const [key, value] of Object.entries(query)) {
        if (value !== undefined && value !== null && value !== '') params.set(key, String(value))
      }
      const text = params.toString()
      return `/n/${lens.slug}/${page}${text ? `?${text}` : ''}`
    },
    [lens, pinned],
  )
}

/** This page's address with the revision in it, so that it shows others the same. */
export function useLastingAddress() {
  const { lens } = usePlace()
  return useCallback(() => {
    const url = new URL(location.href)
    if (lens.revision !== undefined) url.searchParams.set('revision', String(lens.revision))
    return url.href
  }, [lens])
}

/** Where a file's line is shown. */
export function useFileLink() {
  const to = useLinkTo()
  return useCallback((file: string, line?: number | null) => to('devices/files', { file, line }), [to])
}

/** Change some of the address's parameters and keep the others. */
export function useAddress(): [URLSearchParams, (changes: Record<string, string | null>) => void] {
  const [params, setParams] = useSearchParams()
  const change = useCallback(
    (changes: Record<string, string | null>) =>
      setParams((old) => {
        const next = new URLSearchParams(old)
        for (const [key, value] of Object.entries(changes)) {
          if (value === null || value === '') next.delete(key)
          else next.set(key, value)
        }
        return next
      }),
    [setParams],
  )
  return [params, change]
}
