import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import type { Agreement, TableAgreement } from '../../api/types'
import { drawAllRows, place, serve, visit } from '../../testing'
import { AgreementPage } from './AgreementPage'

beforeEach(drawAllRows)

const hop = { address: '10.0.0.2', interface: 'up', weight: 1 }
const table = (device: string, more: Partial<TableAgreement> = {}): TableAgreement => ({
  device,
  vrf: 'default',
  text: '',
  time: '2026-01-05T02:00:00Z',
  source: null,
  file: 't.csv',
  equal: 4,
  entries: 4,
  differences: [],
  reasons: [],
  ...more,
})
const differing = table('r1', {
  entries: 5,
  differences: [
    {
      prefix: '10.6.0.0/16',
      kind: 'extra',
      computed: null,
      observed: {
        prefix: '10.6.0.0/16',
        protocol: 'static',
        metric: null,
        distance: null,
        drops: null,
        next_hops: [hop],
        file: 't.csv',
        line: 7,
        column: 1,
      },
      reason: 'a static route that no file has',
      reason_kind: 'static_unknown',
      evidence: { file: 't.csv', line: 7, column: 1 },
    },
  ],
  reasons: [{ reason: 'a static route that no file has', reason_kind: 'static_unknown', count: 1 }],
})
const found: Agreement = {
  sentence: '88.9% of 9 entries in 2 tables are as they were read; 1 is not.',
  equal: 8,
  entries: 9,
  devices: [table('r0'), differing],
}

function open(answer: Agreement, address = '/n/net/routes/agreement') {
  const asked = serve(() => answer)
  visit(<AgreementPage />, address, { pattern: '/n/:slug/routes/agreement', at: place('editor') })
  return asked
}

test('the table that differs is shown, with what was read, the line and the likely reason', async () => {
  open(found)
  expect(await screen.findByRole('status', { name: 'Agreement' })).toHaveTextContent('1 is not')
  expect(screen.getByRole('button', { name: /r1/ })).toHaveAttribute('aria-current', 'true')
  const row = (await screen.findByText('10.6.0.0/16')).closest('[role=row]')
  expect(row).toHaveTextContent('not computed')
  expect(row).toHaveTextContent('static, 10.0.0.2 by up')
  expect(row).toHaveTextContent('a static route that no file has')
  expect(row).toHaveTextContent('t.csv:7')
})

test('a table that agrees says so', async () => {
  open(found)
  await userEvent.click(await screen.findByRole('button', { name: /r0/ }))
  expect(await screen.findByText(/Every entry that was read is computed/)).toBeVisible()
})

test('without any table that was read it is said where they come from', async () => {
  open({ ...found, devices: [], entries: 0, equal: 0 })
  expect(await screen.findByText(/No table was read from a device/)).toBeVisible()
})

test.each([
  [['computed'], 'known', '&tables=computed&tables=r1=known'],
  [['computed', 'r1=known'], '', '&tables=computed'],
])('one device may forward by another table than all others, from %s', async (tables, choice, expected) => {
  const at = place('editor')
  serve(() => found)
  visit(<AgreementPage />, '/n/net/routes/agreement', { at: { ...at, lens: { ...at.lens, tables } } })
  await userEvent.selectOptions(await screen.findByRole('combobox', { name: 'r1 forwards by' }), choice)
  const address = decodeURIComponent(screen.getByLabelText('address').textContent)
  expect(address.replace('?', '&')).toBe(`/n/net/routes/agreement${expected}`)
})

test('what would mend it is searched for when asked, and every edit may be taken into a change', async () => {
  const step = { text: 'r1: lan has no carrier', mended: 3, changes: [] }
  const answer = {
    sentence: 'One edit makes every entry as it was read, the 3 that differ too; 2 edits tried.',
    differing: 3,
    left: 0,
    steps: [step],
    changes: [],
    edits: [{ file: 'r1.yaml', line: 9, before: '', after: '    carrier: false' }],
    others: [{ ...step, text: 'r2: ospf passive on e1', mended: 1 }],
    tried: 2,
    given_up: false,
  }
  const asked = serve(({ pathname }) => {
    if (pathname.endsWith('/mending')) return { id: 5, status: 'queued', message: '', done: 0, answer: null }
    if (pathname.endsWith('/mending/5')) return { id: 5, status: 'done', message: '', done: 2, answer }
    return found
  })
  visit(<AgreementPage />, '/n/net/routes/agreement', {
    pattern: '/n/:slug/routes/agreement',
    at: place('editor'),
  })
  expect(await screen.findByRole('status', { name: 'Agreement' })).toBeVisible()
  expect(asked.some((each) => each.includes('mending'))).toBe(false)
  await userEvent.click(screen.getByRole('button', { name: 'What would mend it?' }))
  expect(await screen.findByText(answer.sentence)).toBeVisible()
  expect(screen.getByText(/r1: lan has no carrier/).closest('li')).toHaveTextContent('mends 3 entries')
  expect(screen.getByText(/carrier: false/)).toBeVisible()
  expect(screen.getByText(/ospf passive on e1/)).toHaveTextContent('mends 1 entry')
  expect(screen.getAllByRole('button', { name: /change/i }).length).toBe(2)
})
