import { fireEvent, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test, vi } from 'vitest'
import type { Chart, ChartDevice, ChartSegment } from '../../api/types'
import { visit } from '../../testing'
import { ChartView } from './ChartView'
import type { Layer } from './layers'

// The engine without its worker, which only browsers have.
vi.mock('elkjs/lib/elk-api', async () => {
  const { default: Bundled } = await import('elkjs/lib/elk.bundled.js')
  return {
    default: function () {
      return new Bundled()
    },
  }
})
vi.mock('elkjs/lib/elk-worker.min.js?worker', () => ({ default: vi.fn() }))

const NOWHERE = { file: null, line: null, column: null }
const device = (name: string, role: ChartDevice['role'], more: Partial<ChartDevice> = {}): ChartDevice => ({
  name,
  role,
  site: 'a',
  description: '',
  addresses: [],
  interfaces: 1,
  errors: 0,
  warnings: 0,
  ...NOWHERE,
  ...more,
})
const end = (name: string, up: boolean, cost: number) => ({
  device: name,
  interface: 'e',
  addresses: [],
  up,
  costs: [{ protocol: 'ospf', cost, where: 'area 0' }],
  mtu: 1500,
  bandwidth_bps: null,
  ...NOWHERE,
})
const segment = (id: number, up: boolean, ...names: string[]): ChartSegment => ({
  id,
  name: `10.0.${id}.0/24`,
  stated: false,
  outside: [],
  ends: names.map((name, at) => end(name, up, 10 * (id + 1) + at)),
})
const chart: Chart = {
  sites: [{ name: 'a', title: 'Aldersund', description: '' }],
  devices: [
    device('r1', 'router', { errors: 1 }),
    device('f1', 'firewall', { warnings: 2 }),
    device('h1', 'host'),
  ],
  segments: [segment(0, true, 'r1', 'f1'), segment(1, false, 'r1', 'h1')],
  outside: [],
}

function show(layer: Layer | null = null) {
  const on = { onLayer: vi.fn(), onDevice: vi.fn(), onSegment: vi.fn() }
  visit(
    <ChartView chart={chart} lens={{ slug: 'net' }} device="r1" segment={0} layer={layer} {...on} />,
    '/n/net/devices/chart',
  )
  return on
}

test('devices and links are buttons that say what they are, and keys press them', async () => {
  const on = show()
  const drawn = await screen.findByRole('group', { name: 'Chart of sites, devices and links' })
  expect(within(drawn).getByText('Aldersund')).toBeInTheDocument()
  const r1 = within(drawn).getByRole('button', { name: 'r1, router' })
  expect(r1).toHaveAttribute('aria-pressed', 'true')
  expect(r1).toHaveTextContent('r1✗')
  const f1 = within(drawn).getByRole('button', { name: 'f1, firewall' })
  expect(f1).toHaveTextContent('f1!')
  fireEvent.keyDown(f1, { key: ' ' })
  expect(on.onDevice).toHaveBeenCalledWith('f1')
  fireEvent.keyDown(within(drawn).getByRole('button', { name: 'Link r1 – f1' }), { key: 'Enter' })
  expect(on.onSegment).toHaveBeenCalledWith(0)
  fireEvent.keyDown(f1, { key: 'a' })
  expect(on.onDevice).toHaveBeenCalledTimes(1)
})

test('hosts and what leads to them alone come when asked for; a link that is down says so', async () => {
  show()
  await screen.findByRole('button', { name: 'r1, router' })
  expect(screen.queryByRole('button', { name: 'h1, host' })).toBeNull()
  await userEvent.click(screen.getByLabelText('show hosts'))
  expect(await screen.findByRole('button', { name: 'h1, host' })).toBeInTheDocument()
  expect(screen.getByRole('button', { name: 'Link r1 – h1, down' })).toBeInTheDocument()
})

test('a layer shows what each end counts outward', async () => {
  const on = show('ospf')
  expect(await screen.findByText('10')).toBeInTheDocument()
  expect(screen.getByText('11')).toBeInTheDocument()
  expect(screen.getByText(/what the nearer device counts outward/)).toBeVisible()
  await userEvent.selectOptions(screen.getByLabelText('Layer'), 'links alone')
  expect(on.onLayer).toHaveBeenCalledWith(null)
})
