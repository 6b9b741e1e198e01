import { expect, test } from 'vitest'
import { aBranch, aDirection, aFlow, aHop } from '../flows.testing'
import { merged } from './moments'

const by = (...devices: string[]) => aBranch('', { hops: devices.map((device) => aHop(device, {})) })
const flow = (forward: ReturnType<typeof by>[], back: ReturnType<typeof by>[] | null) =>
  aFlow(aDirection('b', forward), back && aDirection('a', back))

test('ways of both lenses stand once, those of now first, and say when they were taken', () => {
  const now = flow([by('a', 'r1', 'b'), by('a', 'r2', 'b')], [by('b', 'r1', 'a')])
  const before = flow([by('a', 'r1', 'b'), by('a', 'r3', 'b')], [by('b', 'r1', 'a')])
  const { forward, return: back, moved } = merged(now, before)
  expect(forward.branches.map((branch) => branch.hops[1]?.device)).toEqual(['r1', 'r2', 'r3'])
  expect(forward.moments).toEqual(['both', 'now', 'before'])
  expect(back?.moments).toEqual(['both'])
  expect(moved).toBe(true)
})

test.each([
  ['the same ways', [by('a', 'r1', 'b')], false],
  ['another end of the same way', [{ ...by('a', 'r1', 'b'), verdict: 'filtered' as const }], true],
])('%s', (_, before, wanted) => {
  expect(merged(flow([by('a', 'r1', 'b')], null), flow(before, null)).moved).toBe(wanted)
})
