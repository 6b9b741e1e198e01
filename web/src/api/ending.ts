import { useSyncExternalStore } from 'react'

/** Why one is asked to log in: nothing happened yet, one has logged out, or the session ended by itself. */
export type Ending = 'none' | 'left' | 'ended'

let ending: Ending = 'none'
const listeners = new Set<() => void>()

export function setEnding(next: Ending): void {
  ending = next
  listeners.forEach((changed) => changed())
}

export const useEnding = (): Ending =>
  useSyncExternalStore(
    (changed) => {
      listeners.add(changed)
      return () => listeners.delete(changed)
    },
    () => ending,
  )
