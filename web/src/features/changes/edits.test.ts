import { expect, test } from 'vitest'
import type { Edit } from '../../api/types'
import { carriedOver, editWords, flowItem, flowValue, withEdits } from './edits'

const set = (value: string, was: string | null = '10', key = 'cost'): Edit => ({
  at: ['r1', 'interfaces', 'port1', key],
  operation: 'set',
  file: '',
  was,
  value,
  before: null,
  line: null,
  off: false,
})

test.each([
  ['another value takes the place of the one before', [set('20')], [set('30', '20')], [set('30')]],
  ['what comes back to what it was is no edit', [set('20')], [set('10', '20')], []],
  [
    'one that is off stays beside it',
    [{ ...set('20'), off: true }],
    [set('30')],
    [{ ...set('20'), off: true }, set('30')],
  ],
  [
    'another place is another edit',
    [set('20')],
    [set('5', null, 'area')],
    [set('20'), set('5', null, 'area')],
  ],
  [
    'what was removed is set behind it',
    [{ ...set('x'), operation: 'remove', value: null }],
    [set('30', null)],
    [{ ...set('x'), operation: 'remove', value: null }, set('30', null)],
  ],
] as [string, Edit[], Edit[], Edit[]][])('%s', (_, edits, more, wanted) => {
  expect(withEdits(edits, more)).toEqual(wanted)
})

test('edits are told in a few words', () => {
  expect(editWords(set('20'))).toBe('r1 interfaces port1 cost: 20')
  expect(editWords({ ...set('20'), operation: 'move', before: '30' })).toBe(
    'r1 interfaces port1 cost moved before 30',
  )
  expect(editWords({ ...set('x'), at: [], file: 'r1.yaml', operation: 'lines', line: 7 })).toBe(
    'lines of r1.yaml from line 7',
  )
})

test('a conflict is carried over by replacing what stands there now', () => {
  expect(carriedOver(set('20'), '15')).toEqual(set('20', '15'))
})

test.each([
  ['10.1.0.0/16', '10.1.0.0/16'],
  ['1 Gb/s', '1 Gb/s'],
  ['::/0', '"::/0"'],
  ['2001:db8::1', '"2001:db8::1"'],
  ['[443, 80]', '[443, 80]'],
  ['a, b', '"a, b"'],
])('%s is written as %s', (text, wanted) => {
  expect(flowValue(text)).toBe(wanted)
})

test('an item is written with the keys of its keys', () => {
  expect(
    flowItem({ name: 'x', 'match prefixes': 'ours', 'match tag': '', 'set med': '5', then: 'accept' }),
  ).toBe('{name: x, match: {prefixes: ours}, set: {med: 5}, then: accept}')
})
