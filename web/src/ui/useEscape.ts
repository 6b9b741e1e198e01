import { useEffect, useRef } from 'react'

/** What is open, the latest last. */
const open: (() => void)[] = []

function onKey(event: KeyboardEvent) {
  // A list or a dialog closes itself, and says so.
  if (event.key !== 'Escape' || event.defaultPrevented || document.querySelector('[role="dialog"]')) return
  event.preventDefault()
  open.at(-1)?.()
}

/** Escape closes what was opened last, and no more than that. */
export function useEscape(close: () => void) {
  const last = useRef(close)
  useEffect(() => {
    last.current = close
  }, [close])
  useEffect(() => {
    const mine = () => last.current()
    if (open.push(mine) === 1) window.addEventListener('keydown', onKey)
    return () => {
      open.splice(open.indexOf(mine), 1)
      if (open.length === 0) window.removeEventListener('keydown', onKey)
    }
  }, [])
}
