import { expect, test } from 'vitest'
import { withNames } from './Named'

const NAMES = new Map([
  ['10.80.3.12', 'bookings'],
  ['2001:db8::9', 'desk'],
])

test.each([
  ['no route to 10.80.3.12.', 'no route to 10.80.3.12 (bookings).'],
  ['from 10.80.3.12 to 2001:db8::9, by e1', 'from 10.80.3.12 (bookings) to 2001:db8::9 (desk), by e1'],
  ['10.80.3.12/32, static', '10.80.3.12/32, static'],
  ['10.80.3.120 and 110.80.3.12', '10.80.3.120 and 110.80.3.12'],
  ['10.80.3.12.5 is no address', '10.80.3.12.5 is no address'],
  ['2001:db8::9:1', '2001:db8::9:1'],
  ['gul-edge-1:lan7 at 12:30', 'gul-edge-1:lan7 at 12:30'],
])('%s', (text, told) => {
  expect(withNames(text, NAMES)).toBe(told)
})
