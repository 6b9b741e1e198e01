import type { KeyboardEvent } from 'react'

/** What a key does to something drawn that is a button: Enter and the space bar press it. */
export const onPress = (press: () => void) => (event: KeyboardEvent) => {
  if (event.key !== 'Enter' && event.key !== ' ') return
  event.preventDefault()
  event.stopPropagation()
  press()
}
