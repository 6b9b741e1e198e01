import { expect, test } from 'vitest'
import { withTyped } from './EndpointField'
import { rateWords } from '../../wording'

const found = (value: string) => ({
  kind: 'address',
  title: value,
  detail: '',
  value,
  device: null,
  file: null,
  line: null,
  column: null,
})

test('an address that nobody has can be asked without turning into a longer one', () => {
  expect(withTyped('10.64.1.5', [found('10.64.1.50')]).map((item) => item.value)).toEqual([
    '10.64.1.5',
    '10.64.1.50',
  ])
  expect(withTyped('10.64.1.50', [found('10.64.1.50')])).toHaveLength(1)
  expect(withTyped('2001:db8::5', [])).toHaveLength(1)
  expect(withTyped('kiosk', [found('kiosk-gul')])).toHaveLength(1)
})

test('rates carry their unit', () => {
  expect(rateWords(10_000_000_000)).toBe('10 Gb/s')
  expect(rateWords(1_500_000)).toBe('1.5 Mb/s')
})
