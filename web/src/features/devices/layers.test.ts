import { expect, test } from 'vitest'
import type { ChartEnd, ChartSegment } from '../../api/types'
import type { ChartLine } from './chartLayout'
import { alongLine, inLayer, layerLabels, layerOf } from './layers'

const end = (device: string, cost: number, where = 'area 0'): ChartEnd => ({
  device,
  interface: 'e',
  addresses: [],
  up: true,
  costs: [{ protocol: 'ospf', where, cost }],
  mtu: 1500,
  bandwidth_bps: null,
  file: null,
  line: null,
  column: null,
})
const segment = (...ends: ChartEnd[]): ChartSegment => ({
  id: 1,
  name: 's',
  stated: false,
  ends,
  outside: [],
})
const line = (length: number, each: ChartSegment): ChartLine => ({
  id: 'l',
  segment: each,
  between: ['a', 'b'],
  points: [
    { x: 0, y: 0 },
    { x: 0, y: length / 2 },
    { x: length / 2, y: length / 2 },
  ],
})

test('each cost stands near the end that counts it, the area between', () => {
  const { costs, where } = layerLabels(line(200, segment(end('b', 50), end('a', 5))), 'ospf')
  expect(costs).toEqual([
    { x: 0, y: 15, text: '5' },
    { x: 85, y: 100, text: '50' },
  ])
  expect(where).toEqual({ x: 0, y: 100, text: 'area 0' })
})

test('ends that disagree on the area show both; a short line has no room for it', () => {
  const torn = segment(end('a', 5), end('b', 5, 'area 9'))
  expect(layerLabels(line(200, torn), 'ospf').where?.text).toBe('area 0 | area 9')
  expect(layerLabels(line(40, torn), 'ospf').where).toBeNull()
})

test('a link outside the layer has no labels', () => {
  const plain = segment(end('a', 5), end('b', 5))
  expect(inLayer(plain, 'isis')).toBe(false)
  expect(layerLabels(line(200, plain), 'isis')).toEqual({ costs: [], where: null })
  expect([layerOf('ospf'), layerOf('roads'), layerOf(null)]).toEqual(['ospf', null, null])
})

test('a point beyond the end is the end', () => {
  expect(
    alongLine(
      [
        { x: 0, y: 0 },
        { x: 10, y: 0 },
      ],
      99,
    ),
  ).toEqual({ x: 10, y: 0 })
})
