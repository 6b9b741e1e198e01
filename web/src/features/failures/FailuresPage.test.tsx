import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import type { SweepCase } from '../../api/types'
import { place, serve, visit } from '../../testing'
import { FailuresPage } from './FailuresPage'

const swept = (more: Partial<SweepCase>): SweepCase => ({
  failed: ['link:quay'],
  title: 'link r1 – r2',
  text: 'breaks sell',
  broken: ['sell'],
  rerouted: ['shut'],
  mended: [],
  asked: 2,
  cut_off: [['r2', 'h2']],
  routes_lost: 3,
  routes_moved: 5,
  flows_lost: [],
  flows_moved: [],
  longest_detour: 1,
  findings: [],
  ...more,
})
const harmless = swept({
  failed: ['link:spare'],
  title: 'link r1 – r9',
  broken: [],
  rerouted: [],
  cut_off: [],
})
const answer = {
  summary: '1 of 3 promises does not survive some failure.',
  promises: ['sell', 'shut', 'calm'],
  cases: [swept({}), harmless],
  breaking_sets: { sell: [['link:quay']] },
  harmless: 1,
  complete: true,
}

test('a sweep is begun, drawn by what it harms, and leads to the lens of a failure', async () => {
  const bodies: unknown[] = []
  serve(async ({ pathname: address }, request) => {
    if (request.method === 'POST') bodies.push(await request.json())
    return address.includes('/api/sweeps/') ? { id: 4, status: 'done', answer } : { id: 4, status: 'queued' }
  })
  visit(<FailuresPage />, '/n/net/failures?revision=3', { at: place('viewer') })
  await userEvent.click(screen.getByLabelText('devices'))
  await userEvent.click(screen.getByRole('button', { name: 'Try them' }))
  const table = await screen.findByRole('table')
  const single = { kinds: ['link', 'group'], pairs: false, promise: '', size: 3, before: false }
  expect(bodies).toEqual([single])
  // A promise that no failure touches has no column, a failure that touches none no row.
  expect(within(table).queryByText('calm')).toBeNull()
  const row = within(table).getByRole('row', { name: /link r1 – r2/ })
  expect(
    within(row)
      .getAllByRole('cell')
      .map((cell) => cell.title),
  ).toEqual(['sell: broken', 'shut: kept another way'])
  expect(within(table).queryByText('link r1 – r9')).toBeNull()
  await userEvent.click(screen.getByRole('button', { name: /1 case that touch/ }))
  expect(within(table).getByText('link r1 – r9')).toBeVisible()
  expect(screen.getByRole('link', { name: 'Promises then' })).toHaveAttribute(
    'href',
    '/n/net/promises?revision=3&fail=link%3Aquay&show=broken',
  )
  expect(screen.getByRole('button', { name: '{link r1 – r2}' })).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: 'Search for sets of up to 3' }))
  expect(await screen.findByRole('table')).toBeVisible()
  expect(bodies.at(-1)).toEqual({ ...single, promise: 'sell' })
})

test('what a change does to what is survived is told, and leads to the failure', async () => {
  const shift = {
    summary: 'This change makes 1 failure fatal.',
    broken: [],
    mended: [],
    fatal: [{ failed: ['link:quay'], title: 'link r1 – r2', breaks_now: ['sell'], survived_now: [] }],
    survivable: [],
    otherwise: [],
  }
  serve(({ pathname: address }) =>
    address.includes('/api/sweeps/')
      ? { id: 4, status: 'done', answer: { ...answer, shift } }
      : { id: 4, status: 'queued' },
  )
  visit(<FailuresPage />, '/n/net/failures?revision=3&change=c&kind=link&before=yes', { at: place('viewer') })
  const told = await screen.findByRole('region', { name: 'What the change does to that' })
  expect(told).toHaveTextContent('This change makes 1 failure fatal.')
  expect(within(told).getByRole('listitem')).toHaveTextContent('✗ fatal nowlink r1 – r2breaks sell')
})

test('a stopped sweep goes on', async () => {
  let starts = 0
  serve(({ pathname: address }, request) => {
    starts += Number(request.method === 'POST')
    return address.includes('/api/sweeps/')
      ? {
          id: starts,
          status: starts === 1 ? 'cancelled' : 'done',
          message: 'Cancelled',
          answer: starts === 1 ? null : answer,
        }
      : { id: starts, status: 'queued' }
  })
  visit(<FailuresPage />, '/n/net/failures?revision=3&kind=link', { at: place('viewer') })
  await userEvent.click(await screen.findByRole('button', { name: 'Go on' }))
  expect(await screen.findByRole('table')).toBeVisible()
})
