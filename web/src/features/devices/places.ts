import type { Piece } from './FileText'

/** Places that are told; a single letter may stand in very many. */
const MOST = 2000

/** Where a text has some words, upper and lower case alike. */
export function placesOf(text: string, wanted: string): Piece[] {
  // A few letters become two when they are made small; then upper and lower case are kept apart.
  const alike = text.toLowerCase().length === text.length
  const words = alike ? wanted.trim().toLowerCase() : wanted.trim()
  const all = alike ? text.toLowerCase() : text
  const places: Piece[] = []
  if (!words) return places
  for (let at = all.indexOf(words); at >= 0 && places.length < MOST; at = all.indexOf(words, at + 1))
    places.push({ from: at, to: at + words.length })
  return places
}
