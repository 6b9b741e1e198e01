import { useQueryClient } from '@tanstack/react-query'
import { askNow, useAway } from '../api/away'
import { sentence } from './controls'

/** Says what the page waits for; it goes on by itself, and nothing on it is lost. */
export function AwayBanner() {
  const away = useAway()
  const queries = useQueryClient()
  if (!away) return null
  return (
    <p
      role="alert"
      className="fixed inset-x-0 bottom-4 z-50 mx-auto w-fit max-w-[90vw] rounded-card border border-warn bg-warn-wash px-4 py-2 text-ink shadow-lg"
    >
      <strong>{sentence(away)}</strong> The page asks again by itself; what is on it stays.{' '}
      <button type="button" className="text-link underline" onClick={() => void askNow(queries)}>
        Ask now
      </button>
    </p>
  )
}
