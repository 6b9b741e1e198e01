import { fireEvent, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test, vi } from 'vitest'
import { drawAllRows, place, serve, visit } from '../../testing'
import { chartDevice, chartEnd, chartSegment, chartSite, flowHop } from './charts.testing'
import { ChartPage } from './ChartPage'
import { aFinding } from '../findings/findings.testing'
import { layoutChart, type LayoutQuestion } from './layout'

// Workers are for browsers: here the answer comes from the same function.
vi.mock('./chart.worker.ts?worker', () => ({
  default: class {
    private heard: ((event: { data: unknown }) => void)[] = []
    addEventListener(_: string, listener: (event: { data: unknown }) => void) {
      this.heard.push(listener)
      setTimeout(() => listener({ data: { id: 0 } })) // it is there
    }
    removeEventListener(_: string, listener: (event: { data: unknown }) => void) {
      this.heard = this.heard.filter((each) => each !== listener)
    }
    postMessage({ id, question }: { id: number; question: LayoutQuestion }) {
      const data = { id, layout: layoutChart(question) }
      setTimeout(() => this.heard.forEach((listener) => listener({ data })))
    }
  },
}))

const CHART = {
  sites: [chartSite('ald'), chartSite('cor')],
  devices: [
    chartDevice('r1', { site: 'ald' }),
    chartDevice('r2', { site: 'cor' }),
    chartDevice('kiosk', { site: 'cor', role: 'host' }),
  ],
  segments: [
    chartSegment(0, [
      chartEnd('r1', { interface: 'port1' }),
      chartEnd('r2', { interface: 'port1', up: false }),
    ]),
    chartSegment(1, [chartEnd('r2', { interface: 'port2' }), chartEnd('kiosk', { interface: 'nic' })]),
  ],
  outside: [],
}
const FLOW = {
  sentence: 'Delivered to r1.',
  doubt: null,
  traffic: 'ping',
  classes: [],
  forward: {
    branches: [
      {
        share: 1,
        share_text: '',
        verdict: 'delivered',
        outside: null,
        path_mtu: null,
        entry: null,
        cause: null,
        hops: [flowHop('kiosk', null, 'nic'), flowHop('r2', 'port2', 'port1'), flowHop('r1', 'port1', null)],
      },
    ],
  },
  return: null,
}
let kept: Record<string, [number, number] | null>
let asked: string[]
let posted: unknown[]

beforeEach(() => {
  drawAllRows()
  kept = {}
  posted = []
  asked = serve(async ({ pathname }, request) => {
    if (pathname.endsWith('/chart/places')) {
      if (request.method === 'PATCH') {
        const { places } = (await request.json()) as { places: typeof kept }
        posted.push(places)
        kept = { ...kept, ...places }
      }
      return { places: Object.fromEntries(Object.entries(kept).filter(([, at]) => at)) }
    }
    if (pathname.endsWith('/chart')) return CHART
    if (pathname.endsWith('/findings')) return [aFinding('t'), aFinding('u', { severity: 'warning' })]
    if (pathname.endsWith('/findings/notes')) return { muted: [], since: {}, known_from: 3 }
    if (pathname.endsWith('/flow')) return FLOW
    if (pathname.includes('/devices/'))
      return {
        name: 'r2',
        role: 'router',
        site: 'cor',
        description: 'the corner',
        interfaces: [],
        sources: [],
        file: null,
        line: null,
      }
    return { sentence: '', sessions: [] }
  })
})

const open = (query = '', role: 'viewer' | 'editor' = 'viewer') =>
  visit(<ChartPage />, `/n/net/devices/chart${query}`, { at: place(role) })

test('at first: is anything wrong? Then the layer, the hosts and what is chosen stand in the address', async () => {
  open()
  expect(await screen.findByText('✗ 1 link down')).toBeVisible()
  expect(await screen.findByRole('link', { name: '✗ 1 error, ! 1 warning' })).toBeVisible()
  await userEvent.selectOptions(screen.getByLabelText('Layer'), 'MTU')
  expect(screen.getByLabelText('address')).toHaveTextContent('layer=mtu')
  expect(screen.getByText(/Bytes at each end where the two differ/)).toBeVisible()
  await userEvent.click(screen.getByRole('checkbox', { name: 'hosts' }))
  expect(await screen.findByRole('button', { name: 'kiosk, host' })).toBeVisible()
  expect(screen.getByLabelText('address')).toHaveTextContent('hosts=all')
  fireEvent.keyDown(screen.getByRole('button', { name: 'r2, router' }), { key: 'Enter' })
  expect(await screen.findByText('the corner')).toBeVisible()
  expect(screen.getByLabelText('address')).toHaveTextContent('device=r2')
  await userEvent.click(screen.getByRole('button', { name: 'close ✕' }))
  expect(screen.getByLabelText('address')).not.toHaveTextContent('device=')
})

test('a name begun is enough to find a device', async () => {
  open()
  await userEvent.type(await screen.findByLabelText('Find a device on the chart'), 'r2{Enter}')
  expect(await screen.findByText('the corner')).toBeVisible()
  expect(screen.getByRole('button', { name: 'r2, router, 1 host' })).toHaveAttribute('aria-pressed', 'true')
})

test('a flow in the address is drawn, leads back to its answer, and is taken off', async () => {
  open('?from=kiosk&to=r1&as=tcp+443')
  const line = await screen.findByRole('status', { name: 'The flow on the chart' })
  await waitFor(() => expect(line).toHaveTextContent('kiosk → r1, tcp 443Delivered to r1.'))
  expect(screen.getByRole('link', { name: 'its answer' })).toHaveAttribute(
    'href',
    '/n/net/flows?revision=3&from=kiosk&to=r1&as=tcp+443',
  )
  expect(document.querySelectorAll('path.stroke-go')).toHaveLength(1)
  await userEvent.click(screen.getByRole('button', { name: 'take it off' }))
  expect(screen.getByLabelText('address')).not.toHaveTextContent('from=')
})

test('what an editor sees first is kept as it is, and laying out anew is undone', async () => {
  open('', 'editor')
  await waitFor(() => expect(Object.keys(kept).sort()).toEqual(['device r1', 'device r2']))
  expect(screen.getByRole('button', { name: 'Undo the move' })).toBeDisabled()
  const first = { ...kept }
  await userEvent.click(screen.getByRole('button', { name: 'Lay out anew' }))
  await waitFor(() => expect(screen.getByRole('button', { name: 'Undo the move' })).toBeEnabled())
  expect(posted).toContainEqual({ 'device r1': null, 'device r2': null })
  await userEvent.click(screen.getByRole('button', { name: 'Undo the move' }))
  await waitFor(() => expect(kept).toEqual(first))
})

test('what people have put somewhere is not put elsewhere by looking at it', async () => {
  kept = { 'device r1': [500, 500], 'device r2': [-500, 640] }
  open('', 'editor')
  expect(await screen.findByRole('button', { name: 'r1, router' })).toBeVisible()
  const tile = document.querySelector('[data-node="device r1"] rect')
  expect([tile?.getAttribute('x'), tile?.getAttribute('y')]).toEqual(['458', '485'])
  expect(posted).toEqual([])
  await userEvent.click(screen.getByRole('button', { name: 'Lay out anew' }))
  await waitFor(() => expect(posted).toHaveLength(2))
  expect(posted[0]).toEqual({ 'device r1': null, 'device r2': null })
  expect(Object.values(posted[1] as object)).not.toContainEqual([500, 500])
  await userEvent.click(screen.getByRole('button', { name: 'Undo the move' }))
  await waitFor(() => expect(posted).toHaveLength(3))
  expect(posted[2]).toEqual({ 'device r1': [500, 500], 'device r2': [-500, 640] })
  expect(kept).toMatchObject({ 'device r1': [500, 500], 'device r2': [-500, 640] })
})

test('a viewer moves nothing and keeps nothing', async () => {
  open()
  expect(await screen.findByRole('button', { name: 'r1, router' })).toBeVisible()
  expect(screen.queryByRole('button', { name: 'Lay out anew' })).toBeNull()
  expect(asked.some((one) => one.startsWith('PATCH'))).toBe(false)
})
