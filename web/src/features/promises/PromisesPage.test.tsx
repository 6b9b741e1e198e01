import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import type { Promised } from '../../api/types'
import { place, serve, visit } from '../../testing'
import { PromisesPage } from './PromisesPage'

const promised = (more: Partial<Promised>): Promised => ({
  id: 'sell',
  text: 'kiosks to web must be delivered',
  kept: true,
  open: false,
  severity: 'error',
  owner: 'tickets',
  folder: 'shop',
  note: '',
  why: '',
  suggestion: '',
  classes: 4,
  counterexample: null,
  survives: null,
  rests_on: {
    devices: ['r1'],
    links: [],
    rules: [],
    interfaces: [],
    networks: [],
    routes: [],
    rules_placed: [],
  },
  file: 'promises.yaml',
  line: 3,
  column: 3,
  ...more,
})
const broken = promised({
  id: 'shut',
  text: 'kiosks to db must be blocked',
  kept: false,
  owner: 'security',
  why: 'k1 to db as tcp 22: it arrives at db',
  file: null,
  line: null,
  column: null,
  counterexample: {
    from: 'k1', to: 'db', as: 'tcp 22', source_port: 49152, dscp: 0, size: null, text: '', why: '', code: 'arrives',
    sentence: '', forward: 'delivered', return: 'delivered', obstacle: null, device: null, failed: ['link:quay'],
    file: null, line: null, column: null,
  }, // prettier-ignore
})
const stored = {
  name: 'shut',
  sentence: broken.text,
  severity: 'error',
  owner: 'security',
  folder: 'shop',
  note: '',
}

const seen = (revision: number, kept: boolean, more: { changes?: string[]; failed?: string[] } = {}) => ({
  revision, kept, created: `2026-01-0${revision}T00:00:00Z`, checked: '2026-01-04T00:00:00Z', name: 'sell',
  sentence: '', why: '', changes: [], failed: [], ...more,
}) // prettier-ignore
const HISTORY = [seen(2, false), seen(2, true, { changes: ['mend'], failed: ['link:quay'] }), seen(1, true)]

/** What is suggested, as long as nobody took or left it. */
function suggested(asked: { address: string }[]) {
  const one = (id: string) => ({
    kind: 'service', why: `3 hosts reach ${id} today`, file: null, line: null, column: null,
    promises: [{ id, text: `desks to ${id} must be delivered` }],
  }) // prettier-ignore
  const done = asked.filter((each) => /promises$|left$/.test(each.address)).length
  return { summary: `${2 - done} more hold today.`, suggestions: [one('mail'), one('clock')].slice(done) }
}

function open(role = 'editor') {
  const asked: { address: string; body: unknown }[] = []
  serve(async ({ pathname: address }, request) => {
    if (request.method !== 'GET') asked.push({ address, body: await request.json().catch(() => null) })
    if (address.includes('/history')) return HISTORY
    if (address.includes('/suggestions')) return { id: 8, status: 'queued' }
    if (address.includes('/promise-suggestions/')) return { id: 8, status: 'done', answer: suggested(asked) }
    if (address.endsWith('/promises') && request.method === 'GET') return [stored]
    if (address.includes('/promises/checks')) return { id: 7, status: 'queued' }
    if (address.includes('/promise-checks/'))
      return {
        id: 7,
        status: 'done',
        answer: {
          summary: '1 of 2 promises is broken: shut.',
          kept: 1,
          broken: 1,
          asked: 2,
          promises: [promised({}), broken],
        },
      }
    return {}
  })
  visit(<PromisesPage />, '/n/net/promises?revision=3', { at: place(role as 'editor') })
  return asked
}

test('what is broken comes first, with the flow that shows it and its failure', async () => {
  open()
  expect(await screen.findByText('1 of 2 promises is broken: shut.')).toBeVisible()
  const [first] = screen.getAllByRole('listitem')
  if (!first) throw new Error('there is a promise')
  expect(within(first).getByRole('img', { name: 'broken' })).toBeVisible()
  expect(within(first).getByText('k1 to db as tcp 22: it arrives at db')).toBeVisible()
  expect(within(first).getByRole('link', { name: /See this flow with link quay failed/ })).toHaveAttribute(
    'href',
    '/n/net/flows?revision=3&fail=link%3Aquay&from=k1&to=db&as=tcp+22&source_port=49152',
  )
  await userEvent.selectOptions(screen.getByLabelText('Whose are shown'), 'tickets')
  await waitFor(() => expect(screen.queryByText(/kiosks to db/)).toBeNull())
})

test('a promise opened tells what it rests on, and what changed when it broke', async () => {
  open()
  await userEvent.click(await screen.findByRole('button', { name: /kiosks to web/ }))
  expect(screen.getByRole('link', { name: 'r1' })).toBeVisible()
  expect(await screen.findByText(/broken since revision 2/)).toBeVisible()
  const opened = screen.getByText('so far').parentElement
  if (!opened) throw new Error('it is opened')
  expect(await within(opened).findByRole('link', { name: 'what changed then' })).toHaveAttribute(
    'href',
    '/n/net/compare?revision=2&base_revision=1',
  )
  expect(screen.getByRole('link', { name: 'mend, link quay failed' })).toHaveAttribute(
    'href',
    '/n/net/promises?revision=2&change=mend&fail=link%3Aquay&promise=sell',
  )
})

test('what holds today is suggested, taken as a promise or left for good', async () => {
  const asked = open()
  await userEvent.click(await screen.findByRole('button', { name: 'Suggest some' }))
  await userEvent.click(await screen.findByRole('button', { name: 'Take mail' }))
  expect(await screen.findByText('1 more hold today.')).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: 'Leave clock' }))
  expect(await screen.findByText('0 more hold today.')).toBeVisible()
  expect(asked.filter((each) => !/checks|suggestions/.test(each.address)).map((each) => each.body)).toEqual([
    expect.objectContaining({ name: 'mail', sentence: 'desks to mail must be delivered' }),
    { sentence: 'desks to clock must be delivered' },
  ])
})

test('a promise is written from clauses, and refused words stay', async () => {
  const asked = open()
  await userEvent.click(await screen.findByRole('button', { name: 'New promise' }))
  const form = screen.getByRole('form', { name: 'New promise' })
  await userEvent.type(within(form).getByLabelText('Sentence'), 'a to b must be delivered')
  await userEvent.click(within(form).getByRole('button', { name: 'survive any link' }))
  await userEvent.type(within(form).getByLabelText('Name'), 'x')
  await userEvent.click(within(form).getByRole('button', { name: 'Keep it' }))
  await waitFor(() =>
    expect(asked.find((each) => each.address.endsWith('/promises'))?.body).toMatchObject({
      name: 'x',
      sentence: 'a to b must be delivered and survive any link',
    }),
  )
})

test('a viewer reads, and writes nothing', async () => {
  open('viewer')
  expect(await screen.findByText('1 of 2 promises is broken: shut.')).toBeVisible()
  expect(screen.queryByRole('button', { name: 'New promise' })).toBeNull()
  expect(screen.queryByText('edit')).toBeNull()
})
