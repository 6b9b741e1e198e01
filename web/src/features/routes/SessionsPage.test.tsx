import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import type { BgpSession } from '../../api/types'
import { drawAllRows, serve, visit } from '../../testing'
import { SessionsPage } from './SessionsPage'
import { relationWords } from '../../wording'

const session = (neighbour: string, more: Partial<BgpSession> = {}): BgpSession => ({
  device: 'r1',
  vrf: 'default',
  neighbour,
  local_address: '10.0.0.1',
  remote: 'isle',
  outside: true,
  description: 'second line',
  local_as: 64500,
  remote_as: 64510,
  relation: 'external',
  reflector_client: false,
  state: 'up',
  reason: null,
  families: ['ipv4'],
  import: [],
  export: [],
  taken: 40,
  sent: 7,
  file: 'r1.yaml',
  line: 9,
  column: 1,
  configured: { file: 'r1.yaml', line: 9, column: 1 },
  ...more,
})
const SESSIONS = [
  session('10.0.0.2'),
  session('10.0.0.3', {
    remote: null,
    remote_as: null,
    state: 'unreachable',
    reason: 'no packet reaches 10.0.0.3',
    taken: null,
    sent: null,
  }),
]
const BOUNCE = {
  sentence: 'Once the session is back, 1 route of r2 stays otherwise than before.',
  device: 'r1',
  vrf: 'default',
  neighbour: '10.0.0.2',
  remote: 'isle',
  while_down: { prefixes: 40, devices: 3, flows: ['upload'], flows_asked: 4, text: 'changes 40' },
  afterwards: { prefixes: 1, devices: 1, flows: [], flows_asked: 4, text: 'changes 1' },
  routes: [{ device: 'r2', vrf: 'blue', prefix: '192.0.2.0/24', before: 'by isle', after: 'by skerry' }],
  routes_in_all: 3,
}

beforeEach(() => {
  drawAllRows()
  serve(({ pathname }) =>
    pathname.endsWith('/bounce') ? BOUNCE : { sentence: '1 of 2 sessions is down.', sessions: SESSIONS },
  )
})

test('what is down comes first, with its reason and line', async () => {
  visit(<SessionsPage />, '/n/net/routes/sessions')
  expect(await screen.findByText('1 of 2 sessions is down.')).toBeVisible()
  const [first, second] = screen.getAllByRole('row').slice(1) as [HTMLElement, HTMLElement]
  expect(first).toHaveTextContent('✗ unreachable')
  expect(first).toHaveTextContent('not in the model10.0.0.3')
  expect(first).toHaveTextContent('no packet reaches 10.0.0.3')
  expect(within(first).queryByRole('button')).toBeNull()
  expect(second).toHaveTextContent('✓ upr1isle10.0.0.264510external407')
  expect(within(second).getByRole('link', { name: 'r1.yaml:9' })).toHaveAttribute(
    'href',
    '/n/net/devices/files?revision=3&file=r1.yaml&line=9',
  )
})

test('a session that bounces is asked for by its row, stands in the address, and closes', async () => {
  visit(<SessionsPage />, '/n/net/routes/sessions')
  await userEvent.click(
    await screen.findByRole('button', { name: 'it bounces? The session of r1 with isle' }),
  )
  expect(screen.getByLabelText('address')).toHaveTextContent('bounce=r1+default+10.0.0.2')
  expect(await screen.findByRole('status', { name: 'Bounce' })).toHaveTextContent('1 route of r2')
  expect(screen.getByText(/While it is down, it changes 40/)).toBeVisible()
  expect(screen.getByText(/Once it is back, it changes 1/)).toBeVisible()
  const row = screen.getByRole('row', { name: /r2 blue/ })
  expect(row).toHaveTextContent('by isleby skerry')
  expect(within(row).getByRole('link')).toHaveAttribute(
    'href',
    '/n/net/routes?revision=3&q=192.0.2.0%2F24&device=r2&vrf=blue',
  )
  expect(screen.getByText('And 2 more.')).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: 'Close' }))
  expect(screen.getByLabelText('address')).not.toHaveTextContent('bounce')
})

test('a client of a reflector is called one', () => {
  expect(relationWords(session('10.0.0.2'))).toBe('external')
  expect(relationWords(session('10.0.0.2', { relation: 'internal', reflector_client: true }))).toBe(
    'internal, client',
  )
})
