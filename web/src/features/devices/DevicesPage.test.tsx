import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import { drawAllRows, serve, visit } from '../../testing'
import { DeviceSheet } from './DeviceSheet'
import { LinkSheet } from './LinkSheet'
import { aFinding } from '../findings/findings.testing'
import { DevicesPage } from './DevicesPage'
import { rateWords } from '../../wording'

const at = (line: number) => ({ file: 'devices/r1.yaml', line, column: 1 })
const FINDING = aFinding('r1 and r2 both have 10.0.0.1', {
  suggestion: 'give one of them another address',
  device: 'r1',
  cause: at(5),
})
const CHART = {
  sites: [{ name: 'ald', title: 'Aldersund', description: '' }],
  devices: [
    {
      name: 'r1',
      role: 'router',
      site: 'ald',
      description: 'the core',
      addresses: ['10.0.0.1/24', '10.1.0.1/24'],
      interfaces: 2,
      errors: 1,
      warnings: 2,
      ...at(1),
    },
    {
      name: 'r2',
      role: 'router',
      site: null,
      description: '',
      addresses: [],
      interfaces: 0,
      errors: 0,
      warnings: 0,
      ...at(1),
    },
  ],
  segments: [],
  outside: [],
}
const port = (name: string, more: object) => ({
  name,
  vrf: 'default',
  description: '',
  addresses: ['10.0.0.1/24'],
  mtu: 1500,
  enabled: true,
  up: true,
  neighbours: [],
  filters_in: [],
  filters_out: [],
  ...at(9),
  ...more,
})
const DEVICE = {
  name: 'r1',
  role: 'router',
  site: 'ald',
  description: 'the core',
  interfaces: [
    port('port1', {
      description: 'to r2',
      neighbours: ['r2'],
      filters_in: ['guard'],
      filters_out: ['nat', 'log'],
    }),
    port('port2', { enabled: false, up: false }),
    port('port3', { up: false }),
  ],
  sources: [
    { about: 'configuration', text: 'interfaces, protocols, filters', counts: true, ...at(1) },
    {
      about: 'table of r1',
      text: '7 entries; held against the computed table, not forwarded by',
      counts: false,
      file: 'tables.csv',
      line: 2,
      column: 1,
    },
  ],
  ...at(1),
}

beforeEach(() => {
  drawAllRows()
  serve(({ pathname, searchParams }) => {
    if (pathname.endsWith('/chart')) return CHART
    if (pathname.endsWith('/findings')) return [FINDING]
    if (pathname.endsWith('/findings/notes')) return { muted: [], since: {}, known_from: 3 }
    if (pathname.endsWith('/flows-over'))
      return [
        {
          name: 'the case',
          source: 'kiosk',
          destination: 'db',
          traffic: 'tcp 1',
          forward: '1/2',
          back: null,
          verdict: 'filtered',
          return_verdict: null,
        },
      ]
    if (pathname.endsWith('/files')) return [{ path: 'devices/r1.yaml' }, { path: 'network.yaml' }]
    if (pathname.includes('/files/'))
      return { path: pathname.split('/files/')[1], text: 'routrel: 1\ndevice: r1\n' }
    if (pathname.includes('/devices/')) return DEVICE
    throw new Error(`${pathname}?${searchParams}`)
  })
})

const open = (view: string, more = '') =>
  visit(<DevicesPage />, `/n/net/devices/${view}${more}`, { pattern: '/n/:slug/devices/:view' })

test('the list says of each device what it is, where, and what is found about it', async () => {
  open('list')
  const row = await screen.findByRole('row', { name: /the core/ })
  expect(row).toHaveTextContent('r1routerAldersundthe core10.0.0.1/24 and 1 more23r1.yaml:1')
  expect(within(row).getByRole('link', { name: 'r1' })).toHaveAttribute(
    'href',
    '/n/net/devices/chart?revision=3&device=r1',
  )
  await userEvent.type(screen.getByLabelText('Filter devices'), 'aldersund')
  expect(screen.getByRole('status')).toHaveTextContent('1 of 2 devices')
})

test('findings say what is wrong, what to do and where, and are counted on their tab', async () => {
  open('findings')
  const row = await screen.findByRole('row', { name: /both have/ })
  expect(row).toHaveTextContent('give one of them another address')
  expect(within(row).getByRole('link')).toHaveTextContent('r1.yaml:5')
  expect(screen.getByRole('link', { name: 'Findings 1' })).toBeVisible()
})

test('a file opens with the cited line, and another is a click away', async () => {
  open('files', '?file=network.yaml&line=2')
  expect(await screen.findByText('line 2 is cited')).toBeVisible()
  expect(screen.getByRole('button', { name: 'network.yaml' })).toHaveAttribute('aria-current', 'true')
  expect(await screen.findByLabelText('File text')).toHaveTextContent('device: r1')
  await userEvent.click(screen.getByRole('button', { name: 'devices/r1.yaml' }))
  expect(screen.getByLabelText('address')).toHaveTextContent('file=devices%2Fr1.yaml')
  expect(screen.getByLabelText('address')).not.toHaveTextContent('line=')
})

test('a file is searched, its places are walked through, and a line is gone to', async () => {
  open('files', '?file=network.yaml')
  expect(await screen.findByLabelText('File text')).toBeInTheDocument()
  await userEvent.type(screen.getByLabelText('Find in this file'), 'R')
  const count = await screen.findByText(/^1 of \d+/)
  const many = Number(/of (\d+)/.exec(count.textContent)?.[1])
  expect(many).toBeGreaterThan(1)
  await userEvent.keyboard('{Enter}')
  expect(count).toHaveTextContent(`2 of ${many}`)
  await userEvent.keyboard('{Shift>}{Enter}{Enter}{/Shift}')
  expect(count).toHaveTextContent(`${many} of ${many}`)
  await userEvent.type(screen.getByLabelText('Find in this file'), 'zzz')
  expect(await screen.findByText('not in this file')).toBeVisible()
  await userEvent.type(screen.getByLabelText('go to line'), '2{Enter}')
  expect(await screen.findByText('line 2 is cited')).toBeVisible()
  await userEvent.type(screen.getByLabelText('Filter files'), 'r1')
  expect(await screen.findByText('1 of 2 files')).toBeVisible()
})

test('a device tells of each interface whether it is up, and why not', async () => {
  visit(<DeviceSheet name="r1" />, '/n/net/devices/chart')
  expect(await screen.findByText('3 interfaces')).toBeVisible()
  expect(await screen.findByText(/both have 10.0.0.1/)).toBeVisible()
  const [first, second, third] = screen.getAllByRole('listitem').slice(-3)
  expect(first).toHaveTextContent('port1up')
  const words = screen.getByRole('region', { name: 'Whose word counts' })
  expect(words).toHaveTextContent('table of r1: 7 entries; held against the computed table')
  expect(within(words).getByRole('link', { name: /tables.csv:2/ })).toBeVisible()
  expect(first).toHaveTextContent('to r2; reaches r2; MTU 1500 bytes; filter in guard; filter out nat, log')
  expect(second).toHaveTextContent('port2shut')
  expect(third).toHaveTextContent('port3down')
  expect(screen.getByRole('link', { name: 'Ask a flow from here' })).toHaveAttribute(
    'href',
    '/n/net/flows?revision=3&from=r1',
  )
})

test('a link tells both ends apart: cost outward, MTU, rate, and who is outside', async () => {
  const end = (device: string, cost: number, up: boolean) => ({
    device,
    interface: 'port1',
    addresses: ['10.0.0.1/24'],
    up,
    mtu: 9000,
    vrf: 'default',
    filters_in: [],
    filters_out: [],
    bandwidth_bps: 2_500_000_000,
    costs: cost ? [{ protocol: 'ospf', where: 'area 0', cost }] : [],
    ...at(9),
  })
  visit(
    <LinkSheet
      segment={{
        id: 1,
        name: '10.0.0.0/24',
        stated: true,
        risk_groups: [{ name: 'duct', title: 'the duct' }],
        ends: [end('r1', 10, true), end('r2', 0, false)],
        outside: [{ name: 'isle', address: '10.0.0.9' }],
      }}
    />,
    '/n/net/devices/chart',
  )
  const [first, second, third] = screen.getAllByRole('listitem').slice(-3)
  expect(first).toHaveTextContent('r1 port1up')
  expect(first).toHaveTextContent('OSPF area 0, cost outward 10; MTU 9000 bytes; 2.5 Gb/s')
  expect(second).toHaveTextContent('r2 port1down')
  expect(second).toHaveTextContent('no link-state protocol here')
  expect(third).toHaveTextContent('isle, outside: 10.0.0.9')
  expect(screen.getByText(/shares a risk: the duct/)).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: 'Kept flows over it' }))
  expect(await screen.findByText('Kept flows over it: 1')).toBeVisible()
  const flow = screen.getByRole('link', { name: 'kiosk → db tcp 1' })
  expect(flow).toHaveAttribute('href', '/n/net/flows?revision=3&from=kiosk&to=db&as=tcp+1')
  expect(flow.closest('li')).toHaveTextContent('the case: there 1/2; blocked by a filter')
  await userEvent.click(screen.getByRole('button', { name: 'Let all of it fail' }))
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/devices/chart?fail=group%3Aduct')
  expect([rateWords(999), rateWords(1000), rateWords(10 ** 12), rateWords(10 ** 16)]).toEqual([
    '999 b/s',
    '1 kb/s',
    '1 Tb/s',
    '10000 Tb/s',
  ])
})
