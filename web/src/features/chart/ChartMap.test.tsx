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
  const heard = { device: vi.fn(), segment: vi.fn(), unfold: vi.fn() }
  visit(
    <ChartMap
      layout={layout}
      marks={null}
      path={null}
      selected={{ device: null, segment: null }}
      found={null}
      onDevice={heard.device}
      onSegment={heard.segment}
      onUnfold={heard.unfold}
      onMove={null}
      tools={() => null}
      sheet={null}
      {...more}
    />,
    '/n/net/devices/chart',
  )
  return heard
}

test('devices and links are buttons that say what they are; keys press them, and one of the tiles is their stop', () => {
  const heard = shown({ selected: { device: 'f1', segment: null } })
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
    path: {
      sentence: '',
      nodes: new Set(['device r1', 'device f1']),
      stretches: [
        { id: 'a', from: 'device r1', to: 'device f1', link: 'link 0', back: false, share: 1, tone: 'stop' },
        { id: 'b', from: 'device f1', to: 'device r1', link: 'link 0', back: true, share: 0.5, tone: 'go' },
      ],
      stops: [{ node: 'device f1', back: false, words: 'dropped (rule 30 of guard)' }],
    },
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
