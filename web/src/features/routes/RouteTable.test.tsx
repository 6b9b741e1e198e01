import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { RouteTable } from './RouteTable'

const ROWS = 1001
let asked: string[]

beforeEach(() => {
  asked = serve(({ pathname, searchParams }) => {
    if (pathname.endsWith('/chart')) return { devices: [{ name: 'r1' }, { name: 'r2' }] }
    if (pathname.includes('/devices/')) return { interfaces: [{ vrf: 'default' }, { vrf: 'guests' }] }
    const offset = Number(searchParams.get('offset'))
    const matching = searchParams.get('contains') ? 2 : ROWS
    const left = { title: 'OSPF', distance: 110, metric: 20, discard: false, next_hops: [] }
    const count = Math.max(0, Math.min(Number(searchParams.get('limit')), matching - offset))
    return {
      total: ROWS,
      matching,
      offset,
      rows: Array.from({ length: count }, (_, at) => ({
        prefix: `10.${offset + at}.0.0/16`,
        left,
        right: null,
      })),
    }
  })
})

const tables = () => asked.filter((one) => one.includes('/table'))

test('the server filters, once typing pauses', async () => {
  visit(<RouteTable device="r1" />, '/n/net/routes?table=r1')
  expect(await screen.findByText('1001 prefixes')).toBeVisible()
  await userEvent.type(screen.getByLabelText('Filter routes'), ' ospf ')
  expect(await screen.findByText('2 of 1001 prefixes')).toBeVisible()
  expect(tables().filter((one) => one.includes('contains'))).toHaveLength(1)
  expect(tables().at(-1)).toContain('contains=ospf')
})

test('another table stands beside it, and what differs alone, by address', async () => {
  visit(<RouteTable device="r1" />, '/n/net/routes?table=r1')
  await userEvent.selectOptions(await screen.findByLabelText('compare with'), 'r2')
  expect(screen.getByLabelText('address')).toHaveTextContent('other=r2')
  expect(await screen.findByText('Tables of r1 and r2')).toBeVisible()
  await userEvent.click(await screen.findByLabelText('only what differs'))
  await waitFor(() => expect(tables().at(-1)).toContain('differing=true'))
  await userEvent.selectOptions(screen.getByLabelText('compare with'), 'no other')
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/routes?table=r1')
  expect(screen.getByLabelText('address')).not.toHaveTextContent('differing')
})

test('the same table before stands beside it, where a second lens is pinned', async () => {
  const at = { ...place(), pinned: { revision: 2, fail: ['link:harbour'] } }
  visit(<RouteTable device="r1" />, '/n/net/routes?table=r1', { at })
  await userEvent.selectOptions(
    await screen.findByLabelText('compare with'),
    'itself in revision 2, with link harbour failed',
  )
  expect(screen.getByLabelText('address')).toHaveTextContent('before=1&differing=1')
  expect(
    await screen.findByText('Table of r1, now and in revision 2, with link harbour failed'),
  ).toBeVisible()
  await waitFor(() =>
    expect(tables().at(-1)).toContain('base_revision=2&base_fail=link%3Aharbour&before=true'),
  )
  await userEvent.selectOptions(screen.getByLabelText('compare with'), 'r2')
  expect(screen.getByLabelText('address')).toHaveTextContent('other=r2')
  expect(screen.getByLabelText('address')).not.toHaveTextContent('before')
})

test('the VRFs of the device are offered', async () => {
  visit(<RouteTable device="r1" />, '/n/net/routes?table=r1')
  await userEvent.selectOptions(await screen.findByLabelText('VRF'), 'guests')
  await waitFor(() => expect(tables().at(-1)).toContain('vrf=guests'))
})

test('copying takes every row that matches, however many pages', async () => {
  const user = userEvent.setup()
  visit(<RouteTable device="r1" />, '/n/net/routes?table=r1')
  await user.click(await screen.findByRole('button', { name: 'Copy as CSV' }))
  await waitFor(async () =>
    expect((await navigator.clipboard.readText()).split('\r\n')).toHaveLength(ROWS + 1),
  )
  const lines = (await navigator.clipboard.readText()).split('\r\n')
  expect(lines[0]).toBe('prefix,r1 protocol,r1 distance,r1 metric,r1 next hops')
  expect(lines.at(-1)).toContain('10.1000.0.0/16,OSPF,110,20')
})
