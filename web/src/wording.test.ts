import { expect, test } from 'vitest'
import { shareWords } from './wording'

test.each([
  [1, 'all'],
  [1 / 16, '1/16'],
  [1 / 7, '1/7'],
  [1 / 3 + 1 / 6, '1/2'],
  [2 / 3 + 1 / 21, '5/7'],
  [1 / 512, '1/512'],
  [1 / 7919, 'about 0.013%'],
])('%d is told as %s', (share, told) => {
  expect(shareWords(share)).toBe(told)
})
