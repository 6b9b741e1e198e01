import { expect, test } from 'vitest'
import type { Chart } from '../../api/types'
import { chartDevice, chartEnd, chartSegment, chartSite, numbers, randomChart } from './charts.testing'
import { bottom, distance, grown, inside, left, overlap, right, top, type Box } from './geometry'
import { layoutChart } from './layout'
import { measure } from './measure'
import { downOf, OUTSIDE, partsOf } from './parts'
import type { Places } from './place'

const placesOf = (nodes: Map<string, Box>): Places =>
  Object.fromEntries([...nodes].map(([id, { x, y }]) => [id, { x, y }]))

const within = (box: Box, area: Box) =>
  left(box) >= left(area) && right(box) <= right(area) && top(box) >= top(area) && bottom(box) <= bottom(area)

test.each([
  [1, 1, 0, 0],
  [2, 2, 1, 3],
  [3, 12, 0, 20],
  [4, 30, 4, 60],
  [5, 40, 13, 70],
  [6, 72, 10, 110],
  [7, 90, 3, 200],
  [8, 120, 30, 160],
])(
  'chart %i: nothing lies on anything, and no line runs behind a tile but its own',
  (seed, size, sites, links) => {
    for (const hosts of ['all', []] as const) {
      const { nodes, areas, lines, parts } = layoutChart({
        chart: randomChart(seed, size, sites, links),
        hosts: hosts === 'all' ? hosts : [],
        known: {},
      })
      expect(nodes.size).toBe(parts.nodes.length)
      expect(measure(nodes, areas, lines)).toMatchObject({ behind: 0, overlaps: 0 })
      for (const node of parts.nodes) {
        const [box, area] = [nodes.get(node.id), areas.get(node.group)]
        expect(box && area && within(box, area)).toBe(true)
      }
      for (const { points, link } of lines) {
        const ends = [points[0], points[points.length - 1]]
        for (const [end, id] of [
          [ends[0], link.from],
          [ends[1], link.to],
        ] as const) {
          const box = nodes.get(id)
          expect(end && box && inside(end, { x: end.x + 0.01, y: end.y }, grown(box, 40))).toBeTruthy()
        }
      }
    }
  },
)

test('the same chart is laid out the same', () => {
  const chart = randomChart(11, 60, 8, 100)
  const one = layoutChart({ chart, hosts: [], known: {} })
  const other = layoutChart({ chart: structuredClone(chart), hosts: [], known: {} })
  expect(placesOf(one.nodes)).toEqual(placesOf(other.nodes))
})

test.each([21, 22, 23, 24])('chart %i: a device more moves few of the others', (seed) => {
  const next = numbers(seed)
  const chart = randomChart(seed, 50, 6, 90)
  const before = layoutChart({ chart, hosts: [], known: {} })
  const known = placesOf(before.nodes)
  const linked = chart.devices[next(50)]?.name ?? ''
  const added = {
    ...chart,
    devices: [
      ...chart.devices,
      chartDevice('newcomer', { site: `s${next(6)}` }),
      chartDevice('alone', { site: 'elsewhere' }),
    ],
    segments: [...chart.segments, chartSegment(900, ['newcomer', linked])],
  }
  const { nodes, areas, lines } = layoutChart({ chart: added, hosts: [], known })
  const still = Object.entries(known).filter(
    ([id, place]) => distance(nodes.get(id) ?? { x: NaN, y: NaN }, place) < 1,
  )
  expect(still.length).toBeGreaterThan(0.6 * Object.keys(known).length)
  expect(nodes.has('device newcomer')).toBe(true)
  expect(measure(nodes, areas, lines)).toMatchObject({ behind: 0, overlaps: 0 })
})

test('where a site grows into another, whole sites move aside and nothing lies on anything', () => {
  const chart = randomChart(41, 70, 9, 110)
  const folded = layoutChart({ chart, hosts: [], known: {} })
  const known = placesOf(folded.nodes)
  const open = layoutChart({ chart, hosts: 'all', known })
  expect(open.nodes.size).toBeGreaterThan(folded.nodes.size)
  expect(measure(open.nodes, open.areas, open.lines)).toMatchObject({ behind: 0, overlaps: 0 })
  // Within each site the devices stand to each other as they did.
  for (const { id, group, kind } of folded.parts.nodes) {
    if (kind === 'hub') continue
    const first = folded.parts.nodes.find((node) => node.group === group && node.kind !== 'hub')?.id ?? id
    const [was, base, is, now] = [
      folded.nodes.get(id),
      folded.nodes.get(first),
      open.nodes.get(id),
      open.nodes.get(first),
    ]
    if (!was || !base || !is || !now) continue // a segment's point may be another one then
    expect(is.x - now.x).toBeCloseTo(was.x - base.x)
    expect(is.y - now.y).toBeCloseTo(was.y - base.y)
  }
})

test('sites that say where they stand begin there, on their sides of each other', () => {
  const names = ['north', 'south', 'east', 'west']
  const at: Record<string, number[]> = { north: [0, -9], south: [0, 9], east: [12, 0], west: [-12, 0] }
  const chart = {
    sites: names.map((name) => chartSite(name, at[name] ?? null)),
    devices: names.flatMap((site) => [1, 2, 3].map((n) => chartDevice(`${site}-${n}`, { site }))),
    segments: names.map((name, id) => chartSegment(id, [`${name}-1`, `${names[(id + 1) % 4]}-1`])),
    outside: [],
  }
  const { areas } = layoutChart({ chart, hosts: [], known: {} })
  const [north, south, east, west] = names.map((name) => areas.get(name) ?? { x: 0, y: 0 })
  if (!north || !south || !east || !west) throw new Error('a site is missing')
  expect(north.y).toBeLessThan(south.y)
  expect(west.x).toBeLessThan(east.x)
})

test('what is linked stands nearer than what is not', () => {
  const sites = ['a', 'b', 'c', 'd', 'e', 'f']
  const chart = {
    sites: sites.map((name) => chartSite(name)),
    devices: sites.map((site) => chartDevice(`${site}1`, { site })),
    segments: sites.slice(1).map((site, id) => chartSegment(id, [`${sites[id]}1`, `${site}1`])),
    outside: [],
  }
  const { nodes } = layoutChart({ chart, hosts: [], known: {} })
  const far = (one: string, other: string) => {
    const [a, b] = [nodes.get(`device ${one}1`), nodes.get(`device ${other}1`)]
    return a && b ? distance(a, b) : NaN
  }
  expect(Math.max(...sites.slice(1).map((site, at) => far(sites[at] ?? '', site)))).toBeLessThan(
    far('a', 'f'),
  )
})

test('parallel links run side by side, whichever end is named first', () => {
  const chart = {
    sites: [],
    devices: [chartDevice('a'), chartDevice('b')],
    segments: [chartSegment(0, ['a', 'b']), chartSegment(1, ['b', 'a']), chartSegment(2, ['a', 'b'])],
    outside: [],
  }
  const { lines } = layoutChart({ chart, hosts: [], known: {} })
  const starts = lines.map(({ link, points }) =>
    link.from === 'device a' ? points[0] : points[points.length - 1],
  )
  const apart = starts.flatMap((one, at) =>
    starts.slice(at + 1).map((other) => (one && other ? distance(one, other) : 0)),
  )
  expect(Math.min(...apart)).toBeGreaterThan(7)
})

test('hosts fold into the device they hang on, and a segment of many ends has a point of its own', () => {
  const host = (name: string) => chartDevice(name, { role: 'host', site: 's' })
  const chart = {
    sites: [chartSite('s')],
    devices: [
      chartDevice('r1', { site: 's' }),
      chartDevice('r2', { site: 's' }),
      host('h1'),
      host('h2'),
      host('lost'),
    ],
    segments: [
      chartSegment(0, ['r1', 'h1']),
      chartSegment(1, ['r1', 'r2', 'h2'], { outside: [{ name: 'isle', address: '192.0.2.1' }] }),
    ],
    outside: [{ name: 'isle', title: 'Isle', description: '', prefixes: [] }],
  }
  const folded = partsOf(chart, new Set())
  expect(folded.nodes.map(({ id, hosts }) => [id, hosts])).toEqual([
    ['device r1', ['h1', 'h2']],
    ['device r2', []],
    ['device lost', []], // it hangs on nothing, so it stands by itself
    ['outside isle', []],
    ['hub 1', []],
  ])
  expect(folded.links.map(({ from, to }) => `${from} – ${to}`)).toEqual([
    'device r1 – hub 1',
    'device r2 – hub 1',
    'outside isle – hub 1',
  ])
  expect(folded.groups).toEqual(
    new Map([
      ['s', 'S'],
      [OUTSIDE, 'Outside'],
    ]),
  )
  const open = partsOf(chart, new Set(['r1']))
  expect(open.nodes.map(({ id }) => id)).toContain('device h1')
  expect(open.links.some(({ to }) => to === 'device h1')).toBe(true)
})

test('a hundred devices without any site are told apart as well', () => {
  const { nodes, areas, lines } = layoutChart({
    chart: randomChart(31, 100, 0, 180),
    hosts: 'all',
    known: {},
  })
  expect(measure(nodes, areas, lines)).toMatchObject({ behind: 0, overlaps: 0 })
  const boxes = [...nodes.values()]
  expect(boxes.some((one, at) => boxes.slice(at + 1).some((other) => overlap(one, other, 8)))).toBe(false)
})

test('folded sites are one tile each; what leads to one is a trunk, which counts what of it is down', () => {
  const chart: Chart = {
    sites: [chartSite('north'), chartSite('south')],
    devices: ['n1', 'n2']
      .map((name) => chartDevice(name, { site: 'north' }))
      .concat(
        ['s1', 's2'].map((name) => chartDevice(name, { site: 'south' })),
        chartDevice('h', { site: 'north', role: 'host' }),
      ),
    segments: [
      chartSegment(0, ['n1', 'n2']),
      chartSegment(1, ['n1', 's1']),
      chartSegment(2, ['n2', 's2']),
      chartSegment(3, ['n2', chartEnd('s1', { up: false })]),
      chartSegment(4, ['n1', 'h']),
    ],
    outside: [],
  }
  const open = partsOf(chart, new Set())
  expect(open.shut.size).toBe(0)
  const one = partsOf(chart, new Set(), new Set(['north']))
  expect(one.nodes.map((node) => node.id).sort()).toEqual(['device s1', 'device s2', 'site north'])
  expect(one.nodes.find((node) => node.kind === 'site')?.members.map(({ name }) => name)).toEqual([
    'n1',
    'n2',
    'h',
  ])
  expect(one.links.map((link) => [link.from, link.to, link.trunk.length, downOf(link)])).toEqual([
    ['device s1', 'site north', 2, 1],
    ['device s2', 'site north', 1, 0],
  ])
  expect([one.shownBy.get('n2'), one.shownBy.get('h'), one.shownBy.get('s1')]).toEqual([
    'site north',
    'site north',
    'device s1',
  ])
  const all = partsOf(chart, new Set(), 'all')
  expect(all.links.map((link) => [link.from, link.to, link.trunk.length, downOf(link)])).toEqual([
    ['site north', 'site south', 3, 1],
  ])
  // A folded site stands in the middle of its devices.
  const known = { 'device n1': { x: 0, y: 0 }, 'device n2': { x: 100, y: 50 } }
  const { nodes } = layoutChart({ chart, hosts: [], shut: ['north'], known })
  expect(nodes.get('site north')).toMatchObject({ x: 50, y: 25 })
})
