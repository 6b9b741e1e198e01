import { fireEvent, screen } from '@testing-library/react'
import { beforeEach, expect, test, vi } from 'vitest'
import { drawAllRows, visit } from '../../testing'
import { chartDevice, chartEnd, chartSegment, chartSite } from './charts.testing'
import { ChartMap } from './ChartMap'
import { marksOf } from './layers'
import { layoutChart } from './layout'

const chart = {
  sites: [chartSite('ald'), chartSite('cor')],
  devices: [
    chartDevice('r1', { site: 'ald', errors: 1 }),
    chartDevice('f1', { site: 'ald', role: 'firewall', warnings: 2 }),
    chartDevice('r2', { site: 'cor' }),
    chartDevice('h1', { site: 'cor', role: 'host' }),
  ],
  segments: [
    chartSegment(0, [
      chartEnd('r1', { costs: [{ protocol: 'ospf', where: 'area 0', cost: 10 }] }),
      chartEnd('f1', { costs: [{ protocol: 'ospf', where: 'area 0', cost: 20 }] }),
    ]),
    chartSegment(1, [chartEnd('f1'), chartEnd('r2', { up: false })]),
    chartSegment(2, ['r2', 'h1']),
  ],
  outside: [{ name: 'isle', title: 'Isle', description: '', prefixes: [] }],
}
const layout = layoutChart({ chart, hosts: [], known: {} })
const marks = marksOf('ospf', { chart, links: layout.parts.links, sessions: [] })

beforeEach(() => {
  drawAllRows()
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
      disconnect() {}
    },
  )
})

function shown(more: Partial<Parameters<typeof ChartMap>[0]> = {}) {
  const heard = { device: vi.fn(), segment: vi.fn(), unfold: vi.fn(), fold: vi.fn() }
  visit(
    <ChartMap
      layout={layout}
      marks={null}
      paths={[]}
      selected={{ node: null, segment: null }}
      found={null}
      onDevice={heard.device}
      onSegment={heard.segment}
      onUnfold={heard.unfold}
      onFoldSite={heard.fold}
      onMove={null}
      tools={() => null}
      sheet={null}
      kept={null}
      onRest={() => undefined}
      {...more}
    />,
    '/n/net/devices/chart',
  )
  return heard
}

test('devices and links are buttons that say what they are; keys press them, and one of the tiles is their stop', () => {
  const heard = shown({ selected: { node: 'device f1', segment: null } })
  expect(screen.getByRole('button', { name: 'r1, router, 1 error' })).toBeVisible()
  expect(screen.getByRole('button', { name: 'isle, outside network' })).toBeVisible()
  const host = screen.getByRole('button', { name: 'r2, router, 1 host' })
  fireEvent.keyDown(host, { key: 'Enter' })
  fireEvent.keyDown(host, { key: ' ' })
  expect(heard.device.mock.calls).toEqual([['r2'], ['r2']])
  fireEvent.click(screen.getByText('+1'))
  expect(heard.unfold).toHaveBeenCalledWith('r2')
  const down = screen.getByRole('button', { name: 'Link f1 – r2, down' })
  fireEvent.keyDown(down, { key: 'Enter' })
  expect(heard.segment).toHaveBeenCalledWith(1)
  // One stop for the keyboard among the tiles, and those of its links.
  const stops = screen.getAllByRole('button').filter((each) => each.tabIndex === 0)
  expect(stops.map((each) => each.getAttribute('aria-label'))).toEqual([
    'Link r1 – f1',
    'Link f1 – r2, down',
    'f1, firewall, 2 warnings',
  ])
})

test('a layer puts its marks at the ends of the links, and the others stand back', () => {
  shown({ marks })
  expect(screen.getByText('10')).toBeInTheDocument()
  expect(screen.getByText('20')).toBeInTheDocument()
  expect(screen.getByRole('button', { name: 'Link f1 – r2, down' }).getAttribute('class')).toContain(
    'opacity-25',
  )
  expect(screen.getByRole('button', { name: 'Link r1 – f1' }).getAttribute('class')).not.toContain(
    'opacity-25',
  )
})

test('a flow is drawn there and back, and says where it stops; what it does not pass stands back', () => {
  shown({
    paths: [
      {
        sentence: '',
        nodes: new Set(['device r1', 'device f1']),
        stretches: [
          {
            id: 'a',
            from: 'device r1',
            to: 'device f1',
            link: 'link 0',
            back: false,
            share: 1,
            tone: 'stop',
          },
          { id: 'b', from: 'device f1', to: 'device r1', link: 'link 0', back: true, share: 0.5, tone: 'go' },
        ],
        stops: [{ node: 'device f1', back: false, words: 'dropped (rule 30 of guard)' }],
      },
    ],
  })
  expect(screen.getByText('✗ dropped (rule 30 of guard)')).toBeVisible()
  expect(screen.getByRole('button', { name: /^r2/ }).getAttribute('class')).toContain('opacity-35')
  expect(screen.getByRole('button', { name: /^r1/ }).getAttribute('class')).not.toContain('opacity-35')
})

test('who may not move things has no grips, who may has one on each tile and site', () => {
  shown()
  expect(document.querySelectorAll('[data-grip]')).toHaveLength(0)
  shown({ onMove: () => undefined })
  expect(document.querySelectorAll('[data-grip]').length).toBe(layout.nodes.size + layout.areas.size)
})

test('a folded site is one tile that says what is in it; a press unfolds it, a mark at an open site folds that', () => {
  const folded = layoutChart({ chart, hosts: [], shut: ['ald'], known: {} })
  const heard = shown({ layout: folded })
  const site = screen.getByRole('button', { name: 'ALD, site, folded, 2 devices, 1 error, 2 warnings' })
  fireEvent.keyDown(site, { key: 'Enter' })
  expect(heard.fold).toHaveBeenCalledWith('ald')
})

test('a drag with shift chooses what lies in a box, which moves together; Escape chooses none', () => {
  const onMove = vi.fn()
  shown({ onMove })
  const drawing = screen.getByRole('group', { name: 'Chart of sites, devices and links' })
  const far = { pointerId: 1, button: 0, shiftKey: true }
  drawing.setPointerCapture = vi.fn()
  fireEvent.pointerDown(drawing, { ...far, clientX: -9000, clientY: -9000 })
  fireEvent.pointerMove(drawing, { ...far, clientX: 9000, clientY: 9000 })
  fireEvent.pointerUp(drawing, { ...far, clientX: 9000, clientY: 9000 })
  expect(screen.getByText(/4 tiles chosen: drag one to move them together/)).toBeVisible()
  const tile = screen.getByRole('button', { name: /^r2/ })
  tile.setPointerCapture = vi.fn()
  fireEvent.pointerDown(tile, { pointerId: 1, button: 0, clientX: 0, clientY: 0 })
  fireEvent.pointerMove(tile, { pointerId: 1, clientX: 50, clientY: 0 })
  fireEvent.pointerUp(tile, { pointerId: 1, clientX: 50, clientY: 0 })
  const [drag] = onMove.mock.calls[0] as [{ ids: Set<string> }]
  expect([...drag.ids].sort()).toEqual(['device f1', 'device r1', 'device r2', 'outside isle'])
  fireEvent.keyDown(drawing, { key: 'Escape' })
  expect(screen.queryByText(/tiles chosen/)).toBeNull()
})

test('two answers in one picture: the second is told by its words where it stops', () => {
  const path = (words: string) => ({
    sentence: '',
    nodes: new Set(['device r1', 'device f1']),
    stretches: [],
    stops: [{ node: 'device f1', back: false, words }],
  })
  shown({ paths: [path('no route'), path('dropped')] })
  expect(screen.getByText('✗ this flow, no route')).toBeVisible()
  expect(screen.getByText('✗ the other, dropped')).toBeVisible()
})
