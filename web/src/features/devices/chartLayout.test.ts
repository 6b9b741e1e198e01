import ELK from 'elkjs/lib/elk.bundled.js'
import { expect, test } from 'vitest'
import type { Chart, ChartDevice, ChartSegment } from '../../api/types'
import { chartParts, layoutChart } from './chartLayout'

const device = (name: string, site: string | null, role: ChartDevice['role'] = 'router') => ({
  name,
  role,
  site,
  description: '',
  addresses: [],
  interfaces: 1,
  errors: 0,
  warnings: 0,
  file: null,
  line: null,
  column: null,
})
const segment = (id: number, ...devices: string[]): ChartSegment => ({
  id,
  name: `10.0.${id}.0/24`,
  stated: false,
  outside: [],
  ends: devices.map((name) => ({
    device: name,
    interface: 'e',
    addresses: [],
    up: true,
    costs: [],
    mtu: 1500,
    bandwidth_bps: null,
    file: null,
    line: null,
    column: null,
  })),
})
const chart: Chart = {
  sites: [
    { name: 'a', title: 'A', description: '' },
    { name: 'empty', title: 'Empty', description: '' },
  ],
  devices: [device('r1', 'a'), device('r2', 'a'), device('r3', null), device('h1', 'a', 'host')],
  segments: [segment(0, 'r1', 'r2'), segment(1, 'r1', 'r2', 'r3'), segment(2, 'r1', 'h1')],
  outside: [{ name: 'isp', title: 'ISP', description: '', prefixes: [] }],
}

test('hosts, and links to them alone, can be left out', () => {
  expect(chartParts(chart, true).segments).toHaveLength(3)
  const parts = chartParts(chart, false)
  expect(parts.devices.map((each) => each.name)).toEqual(['r1', 'r2', 'r3'])
  expect(parts.segments.map((each) => each.id)).toEqual([0, 1])
})

test('every device lies inside its site, sites do not overlap, and every link is drawn', async () => {
  const layout = await layoutChart(new ELK(), chart, true)
  const inside = (inner: { x: number; y: number; width: number; height: number }, outer: typeof inner) =>
    inner.x >= outer.x &&
    inner.y >= outer.y &&
    inner.x + inner.width <= outer.x + outer.width &&
    inner.y + inner.height <= outer.y + outer.height
  const siteOf: Record<string, string> = {
    'device r1': 'a',
    'device r2': 'a',
    'device r3': 'no site',
    'device h1': 'a',
    'outside isp': 'outside neighbours',
  }
  expect(layout.sites.map((site) => site.id).sort()).toEqual(['a', 'no site', 'outside neighbours'])
  for (const tile of layout.tiles) {
    const site = layout.sites.find((each) => each.id === siteOf[tile.id])
    expect(site && inside(tile, site), tile.id).toBe(true)
  }
  for (const [index, one] of layout.sites.entries()) {
    for (const other of layout.sites.slice(index + 1)) {
      const apart =
        one.x + one.width <= other.x ||
        other.x + other.width <= one.x ||
        one.y + one.height <= other.y ||
        other.y + other.height <= one.y
      expect(apart, `${one.id} and ${other.id}`).toBe(true)
    }
  }
  expect(layout.lines.map((line) => line.segment.id).sort()).toEqual([0, 1, 1, 2])
})

test('the same chart is laid out the same way every time', async () => {
  const once = await layoutChart(new ELK(), chart, true)
  expect(await layoutChart(new ELK(), chart, true)).toEqual(once)
})
