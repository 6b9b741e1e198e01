import { expect, test } from 'vitest'
import type { Branch, Direction, Flow, Verdict } from '../../api/types'
import { layoutStrip } from './layout'

const branch = (path: string, share = 1, verdict: Verdict = 'delivered'): Branch => ({
  share,
  share_text: '',
  verdict,
  outside: null,
  entry: null,
  path_mtu: 1500,
  cause: null,
  hops: path
    .split(' ')
    .map((device) => ({ device, vrf: 'default', in: null, out: null, outside: false, stages: [] })),
})

const direction = (to: string, ...branches: Branch[]): Direction => ({
  verdict: branches[0]?.verdict ?? 'no_route',
  routing_verdict: 'delivered',
  sentence: '',
  source: { text: '', name: '', address: '', note: '' },
  destination: { text: to, name: to, address: '', note: '' },
  branches,
  unfollowed: 0,
  cause: null,
  obstacles: [],
  defaults: [],
})

const flow = (forward: Direction, back: Direction | null): Flow => ({
  sentence: '',
  traffic: '',
  doubt: null,
  forward,
  return: back,
  classes: [],
})

const columns = (answer: Flow) =>
  Object.fromEntries(layoutStrip(answer).tiles.map((tile) => [`${tile.way} ${tile.device}`, tile.column]))

test('a device stands in one column in both directions, a detour of the return between its neighbours', () => {
  const answer = flow(
    direction('db', branch('kiosk edge brk fw db', 0.5), branch('kiosk edge cor fw db', 0.5)),
    direction('kiosk', branch('db fw dru edge kiosk')),
  )
  expect(columns(answer)).toEqual({
    'forward kiosk': 0,
    'forward edge': 1,
    'forward brk': 2,
    'forward cor': 2,
    'forward fw': 3,
    'forward db': 4,
    'return kiosk': 0,
    'return edge': 1,
    'return dru': 2,
    'return fw': 3,
    'return db': 4,
  })
})

test('a longer detour makes room', () => {
  const answer = flow(direction('b', branch('a r1 b')), direction('a', branch('b r1 x y a')))
  expect(columns(answer)).toMatchObject({
    'return a': 0,
    'return y': 1,
    'return x': 2,
    'return r1': 3,
    'forward r1': 3,
    'return b': 4,
  })
})

test('what is not reached is shown as such, with a dead wire to it', () => {
  const strip = layoutStrip(flow(direction('db', branch('kiosk fw', 1, 'filtered')), null))
  expect(strip.tiles.find((tile) => tile.ghost)).toMatchObject({ device: 'db', column: 2 })
  expect(strip.tiles.find((tile) => tile.device === 'fw')?.stops).toBe(true)
  expect(strip.wires.filter((wire) => wire.dead)).toEqual([
    expect.objectContaining({ from: 'forward fw', to: 'forward db' }),
  ])
})

test('a loop keeps each device once and wires back', () => {
  const strip = layoutStrip(flow(direction('z', branch('a r1 r2 r1', 1, 'looped')), null))
  expect(strip.tiles.filter((tile) => !tile.ghost).map((tile) => tile.device)).toEqual(['a', 'r1', 'r2'])
  expect(strip.wires).toContainEqual(
    expect.objectContaining({ from: 'forward r2', to: 'forward r1', share: 1 }),
  )
})

test('shares of branches add up on the wires they have in common', () => {
  const answer = flow(direction('b', branch('a r1 b', 0.5), branch('a r2 b', 0.5)), null)
  expect(layoutStrip(answer).wires.map((wire) => [wire.from, wire.to, wire.share, wire.fans])).toEqual([
    ['forward a', 'forward r1', 0.5, true],
    ['forward r1', 'forward b', 0.5, false],
    ['forward a', 'forward r2', 0.5, true],
    ['forward r2', 'forward b', 0.5, false],
  ])
})
