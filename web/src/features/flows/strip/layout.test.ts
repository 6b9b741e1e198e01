import { expect, test } from 'vitest'
import type { Branch, Direction } from '../../../api/types'
import { aBranch, aDirection } from '../flows.testing'
import { FOLD_FROM } from './folds'
import { layoutStrip, TILE_HEIGHT, type Half, type Strip, type Tile } from './layout'

const branch = (path: string, share = 1, more: Partial<Branch> = {}) => aBranch(path, { share, ...more })
const direction = (to: string, ...branches: Branch[]) => aDirection(to, branches)
const strip = (forward: Direction, back: Direction | null = null, open: string[] = []) =>
  layoutStrip({ forward, return: back }, new Set(open))
const halves = (made: Strip) => [made.forward, ...(made.back ? [made.back] : [])]
const columns = (made: Strip) =>
  Object.fromEntries(halves(made).flatMap((half) => half.tiles.map((tile) => [tile.id, tile.column])))
const tileOf = (made: Strip, device: string): Tile => {
  const found = made.forward.tiles.find((tile) => tile.device === device)
  if (!found) throw new Error(`no tile of ${device}`)
  return found
}

/** Wires of a half as pieces between two bends, in units in which a column is 1 wide and so is a gap. */
function pieces(half: Half) {
  return half.wires.flatMap((wire) => {
    const points = wire.bends.map(({ column, side, y }) => ({
      x: 2 * column + (side === 'left' ? 0 : side === 'right' ? 1 : 1.5),
      y,
    }))
    return points.slice(1).map((to, at) => ({ wire: wire.id, from: points[at] ?? to, to }))
  })
}

/** Lines through tiles, tiles on tiles, and lines across lines, counted without the layout's own help. */
function faults(made: Strip) {
  const found = { throughTiles: 0, overlaps: 0, crossings: 0 }
  for (const half of halves(made)) {
    const inside = (y: number, tile: Tile) => Math.abs(y - tile.y) < TILE_HEIGHT / 2
    half.tiles.forEach((tile, at) => {
      for (const other of half.tiles.slice(at + 1))
        if (tile.column === other.column && Math.abs(tile.y - other.y) < TILE_HEIGHT) found.overlaps += 1
      for (const { from, to } of pieces(half)) {
        const passes = from.x <= 2 * tile.column && to.x >= 2 * tile.column + 1
        if (passes && (inside(from.y, tile) || inside(to.y, tile))) found.throughTiles += 1
      }
    })
    const all = pieces(half)
    all.forEach((a, at) => {
      for (const b of all.slice(at + 1)) {
        const [left, right] = [Math.max(a.from.x, b.from.x), Math.min(a.to.x, b.to.x)]
        if (right <= left) continue
        const height = ({ from, to }: typeof a, x: number) =>
          from.y + ((to.y - from.y) * (x - from.x)) / (to.x - from.x)
        const [before, behind] = [height(a, left) - height(b, left), height(a, right) - height(b, right)]
        if (before * behind < 0) found.crossings += 1
      }
    })
  }
  return found
}
const NONE = { throughTiles: 0, overlaps: 0, crossings: 0 }

test('a device stands in one column in both directions, a detour of the return between its neighbours', () => {
  const made = strip(
    direction('db', branch('kiosk edge brk fw db', 0.5), branch('kiosk edge cor fw db', 0.5)),
    direction('kiosk', branch('db fw dru edge kiosk')),
  )
  expect(columns(made)).toEqual({
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
  expect(faults(made)).toEqual(NONE)
})

test('a longer detour makes room; a return that stops early stands beside where it began', () => {
  const longer = strip(direction('b', branch('a r1 b')), direction('a', branch('b r1 x y a')))
  expect(columns(longer)).toMatchObject({ 'return y': 1, 'return x': 2, 'return r1': 3, 'forward r1': 3 })
  const early = strip(
    direction('b', branch('a r1 r2 r3 b')),
    direction('a', branch('b x', 1, { verdict: 'no_route' })),
  )
  expect(columns(early)).toMatchObject({ 'return a': 0, 'return x': 3, 'return b': 4 })
})

test('what leaves the network has no goal that is missing; a return that is stopped at once stands by its entry', () => {
  const made = strip(
    direction('192.0.2.70', branch('web leaf edge isle', 1, { verdict: 'leaves_network' })),
    direction(
      'web',
      branch('isle guard', 1, { verdict: 'filtered', entry: 'isle at guard' }),
      branch('isle edge leaf web', 1, { entry: 'isle at edge' }),
    ),
  )
  expect(made.forward.tiles.some((tile) => tile.ghost)).toBe(false)
  expect(columns(made)).toMatchObject({ 'return web': 0, 'return guard': 2, 'return isle': 3 })
  expect(faults(made)).toEqual(NONE)
})

test('what is not reached is shown as such, with a dead line to it', () => {
  const made = strip(direction('db', branch('kiosk fw', 1, { verdict: 'filtered' })))
  expect(tileOf(made, 'db')).toMatchObject({ ghost: true, column: 2 })
  expect(tileOf(made, 'fw').stops).toBe(true)
  expect(made.forward.wires.filter((wire) => wire.dead)).toHaveLength(1)
})

test('a loop goes on to the right: what is met again is shown again, so no line runs back', () => {
  const made = strip(direction('z', branch('a r1 r2 r1', 1, { verdict: 'looped' })))
  const tiles = made.forward.tiles.filter((tile) => !tile.ghost)
  expect(tiles.map((tile) => [tile.device, tile.again, tile.column])).toEqual([
    ['a', 0, 0],
    ['r1', 0, 1],
    ['r2', 0, 2],
    ['r1', 1, 3],
  ])
  expect(faults(made)).toEqual(NONE)
})

test('branches that meet two devices in different order still run to the right', () => {
  const made = strip(direction('d', branch('a x y d', 0.5), branch('a y x d', 0.5)))
  expect(faults(made).throughTiles).toBe(0)
  for (const wire of made.forward.wires)
    expect(wire.bends.map((bend) => bend.column)).toEqual(wire.bends.map((b) => b.column).sort())
})

test('two that split to the same two meet in a joint, so that nothing crosses', () => {
  const made = strip(
    direction(
      'd',
      branch('s a x d', 0.25),
      branch('s a y d', 0.25),
      branch('s b x d', 0.25),
      branch('s b y d', 0.25),
    ),
  )
  expect(faults(made)).toEqual(NONE)
  expect(tileOf(made, 'x').share).toBe(0.5)
  expect(made.forward.wires.some((wire) => wire.id.includes('joint'))).toBe(true)
})

/** n equal ways, each over two devices of its own. */
const fan = (n: number) =>
  direction('d', ...Array.from({ length: n }, (_, k) => branch(`s edge p${k} q${k} core d`, 1 / n)))

test.each([8, 16])('%i equal ways fold to one of each kind, and unfold without a crossing', (n) => {
  const shut = strip(fan(n))
  expect(shut.forward.tiles.map((tile) => tile.folded.length)).toEqual([0, 0, n, n, 0, 0])
  expect(shut.forward.height).toBe(TILE_HEIGHT)
  expect(faults(shut)).toEqual(NONE)
  const folds = shut.forward.tiles.flatMap((tile) => (tile.fold ? [tile.fold] : []))
  const open = strip(fan(n), null, folds)
  expect(open.forward.tiles).toHaveLength(2 * n + 4)
  expect(faults(open)).toEqual(NONE)
})

test('what is not alike is not folded: a stop, another share, fewer than four', () => {
  const stops = fan(4)
  const last = stops.branches[3]
  if (last) stops.branches[3] = branch('s edge p3', 0.25, { verdict: 'filtered' })
  expect(strip(stops).forward.tiles.every((tile) => tile.folded.length === 0)).toBe(true)
  expect(strip(fan(FOLD_FROM - 1)).forward.tiles.every((tile) => tile.fold === null)).toBe(true)
  const uneven = fan(4)
  uneven.branches.forEach((each, at) => (each.share = at === 0 ? 0.4 : 0.2))
  expect(strip(uneven).forward.tiles.every((tile) => tile.folded.length === 0)).toBe(true)
})

test('three entries of two providers: shares are told inside an entry alone', () => {
  const by = (entry: string, path: string, share: number) => branch(path, share, { entry })
  const made = strip(
    direction(
      'web',
      by('isle at e1', 'isle e1 c1 fw s1 web', 0.25),
      by('isle at e1', 'isle e1 c1 fw s2 web', 0.25),
      by('isle at e1', 'isle e1 c2 fw s1 web', 0.25),
      by('isle at e1', 'isle e1 c2 fw s2 web', 0.25),
      by('isle at e2', 'isle e2 c2 fw s1 web', 0.5),
      by('isle at e2', 'isle e2 c2 fw s2 web', 0.5),
      by('skerry at e3', 'skerry e3 c1 fw s1 web', 0.5),
      by('skerry at e3', 'skerry e3 c1 fw s2 web', 0.5),
    ),
  )
  expect(tileOf(made, 'c2').share).toBeNull() // half of one entry, all of another
  expect([tileOf(made, 's1').share, tileOf(made, 'e1').share, tileOf(made, 'fw').share]).toEqual([0.5, 1, 1])
  expect(faults(made)).toEqual(NONE)
})

test('providers whose ways lie between each other still do not cross', () => {
  const paths = ['isle e1 c1 k1 fw', 'isle e1 c2 k2 fw', 'isle e2 k2 fw', 'skerry e3 c3 k1 fw']
  expect(faults(strip(direction('fw', ...paths.map((path) => branch(path)))))).toEqual(NONE)
})

/** Numbers that look random and are the same each time. */
function dice(seed: number) {
  let state = seed
  return (below: number) => {
    state = (state * 1103515245 + 12345) % 2147483648
    return Math.floor((state / 2147483648) * below)
  }
}

test('on random answers no line runs through a tile, no tiles overlap, every line runs to the right', () => {
  for (let seed = 1; seed <= 80; seed += 1) {
    const roll = dice(seed)
    const devices = Array.from({ length: 3 + roll(9) }, (_, k) => `r${k}`)
    const way = () => {
      const length = 1 + roll(7)
      const met = Array.from({ length }, () => devices[roll(devices.length)] ?? 'r0')
      return met.filter((device, at) => device !== met[at - 1])
    }
    const some = (from: string, to: string) =>
      aDirection(
        to,
        Array.from({ length: 1 + roll(6) }, () => {
          const arrives = roll(4) > 0
          const path = [from, ...way(), ...(arrives ? [to] : [])].join(' ')
          return branch(path, 0.1, { verdict: arrives ? 'delivered' : 'filtered' })
        }),
      )
    const made = strip(some('s', 't'), roll(3) > 0 ? some('t', 's') : null)
    const { throughTiles, overlaps } = faults(made)
    expect({ seed, throughTiles, overlaps }).toEqual({ seed, throughTiles: 0, overlaps: 0 })
    for (const { from, to } of halves(made).flatMap(pieces)) expect(from.x).toBeLessThan(to.x)
  }
})
