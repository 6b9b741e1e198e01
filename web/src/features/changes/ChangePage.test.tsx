import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import type { ChangeSteps, Comparison, Edit, SeenChange } from '../../api/types'
import { drawAllRows, place, serve, visit } from '../../testing'
import { ChangePage } from './ChangePage'

const edit = (key: string, more: Partial<Edit> = {}): Edit => ({
  at: ['r1', 'interfaces', 'port1', key],
  operation: 'set',
  file: '',
  was: '10',
  value: '20',
  before: null,
  line: null,
  off: false,
  ...more,
})

const change: ChangeSteps = {
  name: 'move',
  version: 4,
  purpose: 'by r2',
  edits: 2,
  below: null,
  author: 'nora',
  created: '2026-01-01T00:00:00Z',
  edited: '2026-01-01T00:00:00Z',
  edited_by: 'nora',
  revision: 2,
  accepted: null,
  became: null,
  step: 2,
  steps: [
    { number: 1, text: 'begun', author: 'nora', created: '2026-01-01T00:00:00Z' },
    { number: 2, text: 'cost 20', author: 'nora', created: '2026-01-01T00:00:00Z' },
    { number: 3, text: 'mtu 20', author: 'nora', created: '2026-01-01T00:00:00Z' },
  ],
}

const seenWith = (conflict: SeenChange['edits'][number]['conflict']): SeenChange => ({
  edits: [
    { edit: edit('cost'), place: 'r1 interfaces port1 cost', lines: [], conflict },
    { edit: edit('mtu', { off: true }), place: 'r1 interfaces port1 mtu', lines: [], conflict: null },
  ],
  lines: [],
  patch: '',
  roll_back: [],
})

const compared: Comparison = {
  summary: 'No flow is treated otherwise. No route changed.',
  routes: { added: [], gone: [], changed: [], groups: [] },
  flows: [],
  flows_asked: 0,
  flows_left: 0,
  entries: [
    {
      outside: 'isp',
      prefix: '203.0.113.0/24',
      before: { device: 'r1', neighbour: '192.0.2.6' },
      after: { device: 'r2', neighbour: '192.0.2.10' },
      text: 'isp sends 203.0.113.0/24 in at r1 before, at r2 now',
      reason: 'the former way loses on MED',
    },
  ],
  sessions: { up: [], down: [] },
  adjacencies: { up: [], down: [] },
  roles: [],
  findings: { new: [], gone: [] },
  warnings: [],
}

let seen: SeenChange
let said: { version: number; edits: Edit[]; text: string }[]
let refusal: object | undefined

beforeEach(() => {
  seen = seenWith(null)
  said = []
  refusal = undefined
  drawAllRows()
})

function open(role: 'viewer' | 'editor' = 'editor', more: Partial<ChangeSteps> = {}) {
  const asked = serve(async ({ pathname }, request) => {
    if (request.method === 'PUT') {
      said.push((await request.json()) as (typeof said)[number])
      return refusal ? new Response(JSON.stringify(refusal), { status: 409 }) : change
    }
    if (pathname.endsWith('/changes')) return [{ ...change, ...more }]
    if (pathname.endsWith('/seen')) return seen
    if (pathname.endsWith('/undo') || pathname.endsWith('/changes/move')) return { ...change, ...more }
    if (pathname.endsWith('/accept')) return { id: 9 }
    if (pathname.endsWith('/accepted/9'))
      return { id: 9, status: 'failed', message: 'the files have problems', step: '', done: 0,
        answer: { revision: null, problems: [{ text: 'no area 7', file: 'r1.yaml', line: 3 }] } } // prettier-ignore
    if (pathname.endsWith('/comparisons')) return { id: 5 }
    if (pathname.endsWith('/comparisons/5'))
      return { id: 5, status: 'done', message: '', step: '', done: 0, answer: compared }
    return []
  })
  visit(<ChangePage />, '/n/net/changes/move?revision=3', {
    pattern: '/n/:slug/changes/:name',
    at: place(role),
  })
  return asked
}

test('edits stand in their order with what they replace, and what moves beside them', async () => {
  const asked = open()
  const [first, second] = await screen.findAllByRole('listitem')
  expect(first).toHaveTextContent('r1 interfaces port1 cost10 → 20')
  expect(second).toHaveTextContent('r1 interfaces port1 mtuoff10 → 20')
  await userEvent.click(await screen.findByRole('button', { name: 'Entries, sessions, findings 1' }))
  expect(
    screen.getByText(/isp sends 203.0.113.0\/24 in at r1 before, at r2 now: the former way loses/),
  ).toBeVisible()
  expect(asked.some((each) => each.startsWith('POST') && each.includes('change=move'))).toBe(true)
})

test.each([
  ['switch off: r1 interfaces port1 cost: 20', 0, (edits: Edit[]) => edits[0]?.off, true],
  ['switch on: r1 interfaces port1 mtu: 20', 0, (edits: Edit[]) => edits[1]?.off, false],
  ['down: r1 interfaces port1 cost: 20', 0, (edits: Edit[]) => edits[1]?.at.at(-1), 'cost'],
  ['remove: r1 interfaces port1 cost: 20', 0, (edits: Edit[]) => edits.length, 1],
])('%s', async (label, _, of, wanted) => {
  open()
  await userEvent.click(await screen.findByRole('button', { name: label }))
  expect(said).toHaveLength(1)
  expect(said[0]?.version).toBe(4)
  expect(of(said[0]?.edits ?? [])).toBe(wanted)
})

test('a conflict shows the three versions, is carried over by choice, and keeps the change from being accepted', async () => {
  seen = seenWith({ text: 'it replaces 10, but 15 stands there now', was: '10', now: '15', wanted: '20' })
  open()
  const alert = await screen.findByRole('alert')
  expect(alert).toHaveTextContent('when it was written10stands there now15wanted20')
  expect(screen.queryByRole('button', { name: /Accept into/ })).toBeNull()
  expect(screen.getByText(/1 edit does not fit this revision/)).toBeVisible()
  await userEvent.click(within(alert).getByRole('button', { name: 'Carry it over' }))
  expect(said[0]?.edits[0]).toMatchObject({ was: '15', value: '20' })
})

test('where somebody else was quicker nothing is overwritten, and one looks again', async () => {
  refusal = { code: 'edited_meanwhile', message: 'olaf has edited it', suggestion: '' }
  const asked = open()
  await userEvent.click(await screen.findByRole('button', { name: /^remove: .* cost/ }))
  expect((await screen.findAllByText(/olaf has edited it/i)).length).toBeGreaterThan(0)
  const before = asked.filter((each) => each.endsWith('/changes/move')).length
  await userEvent.click(screen.getByRole('button', { name: 'Show it as it is now' }))
  expect(asked.filter((each) => each.endsWith('/changes/move')).length).toBeGreaterThan(before)
})

test('undo and redo say what they do, and keys do it', async () => {
  const asked = open()
  expect(await screen.findByRole('button', { name: 'Undo' })).toHaveAttribute(
    'title',
    'Undo: cost 20 (Ctrl Z)',
  )
  expect(screen.getByRole('button', { name: 'Redo' })).toHaveAttribute('title', 'Redo: mtu 20 (Ctrl Shift Z)')
  await userEvent.keyboard('{Control>}z{/Control}')
  expect(asked.some((each) => each.startsWith('POST') && each.endsWith('/undo'))).toBe(true)
})

test('files that cannot be read are told with their line, and nothing is accepted', async () => {
  open()
  await userEvent.type(await screen.findByLabelText('Reason'), 'why not')
  await userEvent.click(screen.getByRole('button', { name: 'Accept into revision 4' }))
  const alert = await screen.findByRole('alert')
  expect(alert).toHaveTextContent('no area 7')
  expect(within(alert).getByRole('link', { name: 'r1.yaml:3' })).toBeVisible()
})

test('a viewer reads it, and what was accepted leads to its revision', async () => {
  open('viewer', { became: 4 })
  expect(await screen.findByText('✓ Revision 4.')).toBeVisible()
  expect(screen.queryByRole('button', { name: /switch off|remove|Undo|Accept/ })).toBeNull()
  expect(screen.getByRole('link', { name: 'What moved' })).toHaveAttribute(
    'href',
    '/n/net/compare?revision=4&base_revision=3',
  )
})
