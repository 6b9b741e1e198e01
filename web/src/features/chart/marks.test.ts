import { expect, test } from 'vitest'
import type { Branch, Flow } from '../../api/types'
import { chartDevice, chartEnd, chartSegment, flowHop } from './charts.testing'
import { flowPath } from './flowPath'
import { overlap, type Box } from './geometry'
import { layerNamed, LAYERS, marksOf, needsSessions, type LayerName } from './layers'
import { aBranch } from '../flows/flows.testing'
import { layoutChart } from './layout'
import { lineTexts, type Near } from './lineTexts'
import { partsOf, type ChartLink } from './parts'
import type { Line } from './route'
import { dropped } from './ChartPage'
import { snapped } from './useMoving'
import { levelAt } from './useMapZoom'
import { walk } from './walk'
import { rateWords } from '../../wording'

const cost = (value: number, where = 'area 0') => [{ protocol: 'ospf', where, cost: value }]
const chart = {
  sites: [],
  devices: [
    chartDevice('a'),
    chartDevice('b', { stateful: true }),
    chartDevice('c'),
    chartDevice('h', { role: 'host' as const }),
  ],
  segments: [
    chartSegment(0, [
      chartEnd('a', {
        interface: 'port1',
        costs: cost(10),
        bandwidth_bps: 1e9,
        vrf: 'blue',
        filters_in: ['guard'],
      }),
      chartEnd('b', {
        interface: 'port1',
        costs: cost(20),
        bandwidth_bps: 1e8,
        mtu: 1400,
        filters_out: ['nat', 'log'],
      }),
    ]),
    chartSegment(1, [
      chartEnd('b', { interface: 'port2', up: false }),
      chartEnd('c', { interface: 'port1' }),
    ]),
    chartSegment(2, [chartEnd('c', { interface: 'port2' }), chartEnd('h', { interface: 'nic' })]),
  ],
  outside: [],
}
const parts = partsOf(chart, new Set())
const { links } = parts
const session = (device: string, remote: string | null, state: 'up' | 'unreachable') => ({
  device,
  vrf: 'default',
  neighbour: '10.0.0.9',
  local_address: null,
  remote,
  outside: false,
  description: '',
  local_as: 1,
  remote_as: 2,
  relation: 'external',
  reflector_client: false,
  state,
  reason: state === 'up' ? null : 'nobody answers',
  families: [],
  import: [],
  export: [],
  taken: null,
  sent: null,
  file: null,
  line: null,
  column: null,
  configured: { file: null, line: null, column: null },
})
const marks = (name: LayerName, sessions: ReturnType<typeof session>[] = []) => {
  const made = marksOf(name, { chart, links, sessions })
  if (!made) throw new Error('no marks')
  return made
}

test('each layer says of links what it is about, and of the others nothing', () => {
  expect(marks('state').links).toEqual(
    new Map([
      ['link 0', { middle: '100 Mb/s', tone: 'plain' }],
      ['link 1', { middle: 'down', tone: 'bad' }],
    ]),
  )
  expect(marks('ospf').links).toEqual(
    new Map([['link 0', { from: '10', to: '20', middle: 'area 0', tone: 'warn' }]]),
  )
  expect(marks('isis').links.size).toBe(0)
  expect(marks('vrfs').links).toEqual(new Map([['link 0', { from: 'blue', to: undefined }]]))
  expect(marks('filters').links).toEqual(new Map([['link 0', { from: 'in guard', to: 'out nat, log' }]]))
  expect(marks('filters').nodes.get('device b')?.text).toBe('stateful')
  expect(marks('mtu').links).toEqual(
    new Map([
      ['link 0', { from: '1500', to: '1400', tone: 'warn' }],
      ['link 1', { middle: '1500', tone: 'plain' }],
    ]),
  )
})

test('sessions are lines of their own, down if either side says so, with counts and reasons at each device', () => {
  const made = marks('sessions', [
    session('a', 'b', 'up'),
    session('b', 'a', 'unreachable'),
    session('b', 'c', 'up'),
    session('b', null, 'unreachable'),
  ])
  expect(made.extra.map(({ id, tone }) => [id, tone])).toEqual([
    ['session device a with device b', 'bad'],
    ['session device b with device c', 'good'],
  ])
  expect(made.nodes.get('device b')).toEqual({
    text: '1/3',
    tone: 'warn',
    title: '1 of 3 sessions up; a: nobody answers; 10.0.0.9: nobody answers',
  })
  expect(made.nodes.get('device a')?.tone).toBe('good')
})

test('a layer is known by its name; every one has a title and a legend', () => {
  expect([layerNamed('ospf'), layerNamed('toString'), layerNamed(null)]).toEqual(['ospf', null, null])
  expect([needsSessions('sessions'), needsSessions('mtu'), needsSessions(null)]).toEqual([true, false, false])
  for (const name of Object.keys(LAYERS) as LayerName[])
    expect(marks(name).legend.join('').length).toBeGreaterThan(20)
  expect([rateWords(999), rateWords(2.5e9), rateWords(1e16)]).toEqual(['999 b/s', '2.5 Gb/s', '10000 Tb/s'])
})

const branch = (
  share: number,
  verdict: Branch['verdict'],
  hops: Branch['hops'],
  cause: Branch['cause'] = null,
) => aBranch('', { share, verdict, hops, cause })
const direction = (branches: Branch[]) => ({ branches }) as unknown as Flow['forward']

test('a flow runs along its links; hosts stand for themselves by their router; the stop says why', () => {
  const cause = {
    file: null,
    line: null,
    column: null,
    device: 'b',
    kind: 'filter',
    interface: null,
    direction: null,
    filter: 'guard',
    rule: 30,
  }
  const flow = {
    sentence: 'Blocked at b.',
    forward: direction([
      branch(
        1,
        'filtered',
        [flowHop('h', null, 'nic'), flowHop('c', 'port2', 'port1'), flowHop('b', 'port2', null)],
        cause,
      ),
    ]),
    return: direction([
      branch(0.5, 'delivered', [flowHop('a', null, 'port1'), flowHop('b', 'port1', null)]),
      branch(0.5, 'delivered', [flowHop('a', null, 'port1'), flowHop('b', 'port1', null)]),
    ]),
  } as unknown as Flow
  const path = flowPath(flow, parts)
  expect(
    path.stretches.map(({ from, to, link, back, share, tone }) => [from, to, link, back, share, tone]),
  ).toEqual([
    ['device c', 'device b', 'link 1', false, 1, 'stop'],
    ['device a', 'device b', 'link 0', true, 1, 'go'],
  ])
  expect(path.stops).toEqual([
    { node: 'device b', back: false, words: expect.stringMatching(/\(rule 30 of guard\)$/) as string },
  ])
  expect([...path.nodes].sort()).toEqual(['device a', 'device b', 'device c'])
})

test('arrows walk along the link that leads most nearly there, else to the nearest tile that way', () => {
  const box = (x: number, y: number): Box => ({ x, y, width: 80, height: 30 })
  const nodes = new Map([
    ['a', box(0, 0)],
    ['b', box(200, 20)],
    ['c', box(100, -10)],
    ['d', box(10, 300)],
  ])
  const linked = new Map([['a', ['b']]])
  expect(walk('ArrowRight', 'a', nodes, linked)).toBe('b') // c is nearer, and not linked
  expect(walk('ArrowRight', 'c', nodes, linked)).toBe('b')
  expect(walk('ArrowDown', 'a', nodes, linked)).toBe('d')
  expect(walk('ArrowUp', 'c', nodes, linked)).toBeNull()
  expect(walk('Enter', 'a', nodes, linked)).toBeNull()
})

test('what is dragged comes to rest on the grid or in line with a neighbour, and never on another', () => {
  expect(snapped({ x: 13, y: 26 }, [])).toEqual({ x: 16, y: 24 })
  expect(snapped({ x: 13, y: 26 }, [{ x: 10, y: 90, width: 80, height: 30 }])).toEqual({ x: 10, y: 24 })
  const layout = layoutChart({ chart, hosts: [], known: {} })
  const [a, b] = [layout.nodes.get('device a'), layout.nodes.get('device b')]
  if (!a || !b) throw new Error('not drawn')
  const onto = dropped({ ids: new Set(['device a']), by: { x: b.x - a.x, y: b.y - a.y } }, layout)
  expect(onto).toBeNull()
  const away = dropped({ ids: new Set(['device a']), by: { x: -400, y: 3 } }, layout)
  expect(Object.keys(away ?? {})).toEqual(['device a'])
  const all = dropped({ ids: new Set(layout.nodes.keys()), by: { x: 80, y: -80 } }, layout)
  expect(Object.keys(all ?? {})).toHaveLength(layout.nodes.size)
})

test('sites first, then devices by name, then what stands at the ends of lines', () => {
  expect([0.3, 0.71, 1, 1.5].map(levelAt)).toEqual(['sites', 'devices', 'devices', 'interfaces'])
})

test('the nearer, the more stands at the ends of lines', () => {
  const end = chartEnd('a', {
    interface: 'port1',
    addresses: ['10.0.0.0/31', '2001:db8::/127'],
    costs: [{ protocol: 'ospf', where: 'area 0', cost: 20 }],
  })
  const nodes = new Map<string, Box>([
    ['x', { x: 0, y: 0, width: 60, height: 30 }],
    ['y', { x: 600, y: 0, width: 60, height: 30 }],
  ])
  const link: ChartLink = { ...(links[0] as ChartLink), from: 'x', to: 'y', ends: [end, null] }
  const line: Line = { link, points: [...nodes.values()] }
  const told = (near: Near) => lineTexts([line], nodes, null, near, 12.5).map((text) => text.text)
  expect([told('none'), told('interface'), told('address')]).toEqual([
    [],
    ['port1'],
    ['port1 10.0.0.0/31 cost 20'],
  ])
})

test('texts on lines keep off each other: ends move along their line, a middle without room is left out', () => {
  const at = (x: number, y: number): Box => ({ x, y, width: 60, height: 30 })
  // Two lines that cross: a to d and b to c, as in a full mesh of two and two.
  const nodes = new Map([
    ['device a', at(0, 0)],
    ['device b', at(160, 0)],
    ['device c', at(0, 90)],
    ['device d', at(160, 90)],
  ])
  const line = (id: string, from: string, to: string): Line => {
    const points = [from, to].flatMap((each) => nodes.get(each) ?? [])
    return { link: { ...(links[0] as ChartLink), id, from, to }, points }
  }
  const crossed = [line('1', 'device a', 'device d'), line('2', 'device b', 'device c')]
  const told = (tone: 'plain') => ({ tone, from: '10', to: '10', middle: 'area 0' })
  const marked = {
    ...marks('ospf'),
    links: new Map([
      ['1', told('plain')],
      ['2', told('plain')],
    ]),
  }
  const texts = lineTexts(crossed, nodes, marked, 'none', 12.5)
  expect(texts.filter((text) => text.bold)).toHaveLength(4)
  expect(texts.filter((text) => !text.bold).map((text) => text.text)).toEqual(['area 0'])
  const boxes = texts.map(({ x, y, text }) => ({ x, y, width: text.length * 6.4, height: 12.5 }))
  boxes.forEach((box, index) => {
    for (const other of boxes.slice(index + 1)) expect(overlap(box, other)).toBe(false)
  })
})
