import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test, vi } from 'vitest'
import type { HeldRoute, Holders } from '../../api/types'
import { serve, visit } from '../../testing'
import { HolderList } from './HolderList'

const route = (device: string, more: Partial<HeldRoute> = {}) =>
  ({
    device,
    vrf: 'default',
    prefix: '10.9.0.0/16',
    title: 'OSPF',
    distance: 110,
    metric: 20,
    discard: false,
    falls_back: false,
    next_hops: [],
    ...more,
  }) as unknown as HeldRoute
const HOLDERS = {
  sentence: '',
  matched: '10.9.0.0/16',
  groups: [
    {
      exit: 'leaves to isle at r9',
      falls_back: false,
      routes: [route('r1'), route('r2', { vrf: 'blue', prefix: '10.0.0.0/8' })],
    },
    {
      exit: 'leaves to isle at r9',
      falls_back: true,
      routes: [route('r3', { falls_back: true, prefix: '0.0.0.0/0' })],
    },
  ],
  lacking: [{ device: 'r4', vrf: 'default' }],
} as unknown as Holders

beforeEach(() => {
  serve(() => ({
    sentence: '',
    sessions: [
      { outside: true, remote: 'isle' },
      { outside: true, remote: 'isle' },
      { outside: false, remote: 'r2' },
      { outside: true, remote: null },
    ],
  }))
})

test('tables are grouped by where their route leads; a shorter prefix and a default alone are told', async () => {
  visit(<HolderList holders={HOLDERS} device="r2" vrf="blue" onChoose={() => undefined} />, '/n/net/routes')
  const [exact, byDefault] = screen.getAllByRole('region', { name: 'leaves to isle at r9' })
  if (!exact || !byDefault) throw new Error('a group is missing')
  expect(within(exact).getByRole('button', { name: /r2, VRF blue/ })).toHaveAttribute('aria-current', 'true')
  expect(within(exact).getByRole('button', { name: /r1/ })).toHaveAttribute('aria-current', 'false')
  expect(within(exact).getByText('10.0.0.0/8')).toBeVisible() // shorter than the one that matched
  expect(within(exact).queryByText('10.9.0.0/16')).toBeNull()
  expect(byDefault).toHaveTextContent('by their default route only')
  expect(within(byDefault).queryByText('0.0.0.0/0')).toBeNull()
  expect(screen.getByText('most specific')).toHaveTextContent('most specific 10.9.0.0/16')
})

test('who has none, and outside networks that look in, are chosen like the others', async () => {
  const chosen = vi.fn()
  visit(<HolderList holders={HOLDERS} device="r4" vrf="default" onChoose={chosen} />, '/n/net/routes')
  const none = screen.getByRole('button', { name: /r4/ })
  expect(none).toHaveAttribute('aria-current', 'true')
  await userEvent.click(none)
  await userEvent.click(screen.getByRole('button', { name: /r2, VRF blue/ }))
  const outside = await screen.findByRole('region', { name: 'outside networks' })
  await userEvent.click(within(outside).getByRole('button')) // one, however many sessions it has
  expect(chosen.mock.calls).toEqual([
    ['r4', 'default'],
    ['r2', 'blue'],
    ['isle', 'default'],
  ])
})
