import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import type { HeldRoute, Holders, Why } from '../../api/types'
import { place, serve, visit } from '../../testing'
import { RoutesPage } from './RoutesPage'
import { candidatesWith, nextHop } from './candidates.testing'
import { ladderRungs } from './ladder'

const candidate = candidatesWith(['usable', 'distance', 'path_type', 'metric'])
const NOWHERE = { file: null, line: null, column: null }
const held = (device: string, more: Partial<HeldRoute> = {}): HeldRoute => ({
  device,
  vrf: 'default',
  prefix: '10.9.0.0/16',
  protocol: 'ospf',
  path_type: null,
  title: 'OSPF',
  distance: 110,
  metric: 20,
  tag: 0,
  discard: false,
  observed: false,
  next_hops: [nextHop('r9')],
  falls_back: false,
  ...NOWHERE,
  ...more,
})
const holders: Holders = {
  asked: '10.9.0.0/16',
  matched: '10.9.0.0/16',
  sentence: 'One device has a route.',
  groups: [
    { exit: 'arrives at r9', falls_back: false, routes: [held('r1')] },
    {
      exit: 'leaves to isle at r8',
      falls_back: true,
      routes: [held('r2', { prefix: '0.0.0.0/0', falls_back: true })],
    },
  ],
  lacking: [{ device: 'r3', vrf: 'default' }],
}
const chosen: Why = {
  device: 'r1',
  vrf: 'default',
  matched: '10.9.0.0/16',
  sentence: '',
  why: 'Its distance is below.',
  behind: [],
  absent: null,
  redistributions: [
    {
      kind: 'not_active',
      device: 'r1',
      text: 'r1 does not take it into OSPF',
      suggestion: '',
      file: 'r1.yaml',
      line: 4,
      column: 1,
    },
  ],
  doubt: 'This depends on who came first.',
  candidates: [
    candidate('OSPF', ['yes', '110', '', '20'], null, { advertiser: 'r9' }),
    candidate('RIP', ['yes', '120', '', '3'], 'distance', { advertiser: 'r8' }),
  ],
}
const missing: Why = {
  ...chosen,
  device: 'r3',
  matched: null,
  candidates: [],
  absent: {
    sentence: 'r3 has no route.',
    prefix: '10.9.0.0/16',
    originators: ['r9'],
    reached: ['r9', 'r1'],
    stopped_between: ['r1', 'r3'],
    reason: 'filtered',
    steps: [
      {
        kind: 'filtered',
        device: 'r3',
        text: 'a policy rejects it',
        suggestion: 'accept it',
        file: 'r3.yaml',
        line: 4,
        column: 1,
      },
    ],
  },
}

let asked: string[] = []
beforeEach(() => {
  asked = serve(({ pathname, searchParams }) => {
    if (pathname.endsWith('/holders')) return holders
    if (pathname.endsWith('/why')) return searchParams.get('device') === 'r3' ? missing : chosen
    if (pathname.endsWith('/sessions'))
      return {
        sentence: '',
        sessions: [
          { outside: true, remote: 'isle' },
          { outside: false, remote: 'r9' },
        ],
      }
    if (pathname.endsWith('/table'))
      return { total: 3, matching: searchParams.get('contains') ? 1 : 3, offset: 0, rows: [] }
    if (pathname.endsWith('/devices/r1')) return { name: 'r1', interfaces: [] }
    if (pathname.endsWith('/cases'))
      return [
        {
          name: 'c',
          title: 'A detour',
          story: 'Why?',
          question: null,
          fail: [],
          tables: [],
          edits: [],
          route: { at: 'r1', to: '10.9.0.0/16' },
        },
      ]
    return { devices: [{ name: 'r1' }, { name: 'r2' }], sites: [], segments: [], outside: [] }
  })
})

test('a loser is out on its rung and shows nothing below it', async () => {
  visit(<RoutesPage />, '/n/net/routes?q=10.9.0.0/16&device=r1')
  const ladder = await screen.findByRole('table')
  expect(screen.getByRole('note')).toHaveTextContent('Not certain. This depends on who came first.')
  expect(screen.getByText(/r1 does not take it into OSPF/).closest('li')).toHaveTextContent('✗')
  const cells = (rung: string) =>
    within(within(ladder).getByRole('row', { name: new RegExp(`^${rung}`) }))
      .getAllByRole('cell')
      .map((cell) => cell.textContent)
  expect(cells('distance')).toEqual(['110', '120 eliminated here'])
  expect(cells('metric')).toEqual(['20', 'out before this rung'])
  expect(cells('in use')[0]).toContain('✓ r9 by e1')
})

test('holders are grouped by exit; one without a route shows how far it got', async () => {
  visit(<RoutesPage />, '/n/net/routes?q=10.9.0.0/16')
  expect(await screen.findByRole('region', { name: 'arrives at r9' })).toHaveTextContent('r1')
  expect(screen.getByRole('region', { name: 'leaves to isle at r8' })).toHaveTextContent(
    'by their default route only',
  )
  await userEvent.click(screen.getByRole('button', { name: /r3 why none/ }))
  expect(await screen.findByText(/a policy rejects it/)).toHaveTextContent('To mend it: accept it')
  expect(screen.getByText('✗ r3')).toBeInTheDocument()
  expect(screen.getByLabelText('address')).toHaveTextContent('device=r3')
  await userEvent.click(screen.getByRole('button', { name: /isle over which link/ }))
  expect(screen.getByLabelText('address')).toHaveTextContent('device=isle')
  expect(
    asked.some((each) => each.includes('/why') && each.includes('device=r3') && each.includes('revision=3')),
  ).toBe(true)
})

test('the empty page offers the complaints about routes', async () => {
  visit(<RoutesPage />, '/n/net/routes')
  await userEvent.click(await screen.findByRole('link', { name: /A detour/ }))
  expect(await screen.findByRole('status', { name: 'Who holds it' })).toHaveTextContent(holders.sentence)
})

test('rungs that nobody reached, or that say nothing, have no row', () => {
  expect(ladderRungs(chosen.candidates).map((rung) => rung.id)).toEqual(['usable', 'distance', 'metric'])
  expect(ladderRungs([])).toEqual([])
})

test('a filter asks the server once typing has paused, and starts from the top', async () => {
  visit(<RoutesPage />, '/n/net/routes?table=r1')
  await userEvent.type(await screen.findByRole('searchbox', { name: 'Filter routes' }), 'rip')
  expect(await screen.findByText('1 of 3 prefixes')).toBeInTheDocument()
  const filtered = asked.filter((each) => each.includes('/table') && each.includes('contains='))
  expect(new Set(filtered.map((each) => /contains=(\w+)/.exec(each)?.[1]))).toEqual(new Set(['rip']))
})

const edit = {
  text: 'local preference ≥ 151 on import from 203.0.113.129 (skerry) at r1',
  device: 'r1',
  vrf: 'default',
  neighbour: '203.0.113.129',
  direction: 'import',
  attribute: 'local-preference',
  value: 151,
  target: 'policies.p.statements.s.set.local-preference',
  file: 'r1.yaml',
  line: 9,
  column: 1,
  changes: [
    {
      file: 'r1.yaml',
      patch: { kind: 'set_key', path: ['policies'], key: 'local-preference', value: '151' },
    },
  ],
  edits: [{ file: 'r1.yaml', line: 9, before: '', after: '  set: {local-preference: 151}' }],
}

test('what it would take is worked out when asked for, and an edit is made a change', async () => {
  const posted: unknown[] = []
  serve(async ({ pathname }, request) => {
    if (pathname.endsWith('/holders')) return holders
    if (pathname.endsWith('/why')) return chosen
    if (pathname.endsWith('/sessions')) return { sentence: '', sessions: [] }
    if (pathname.endsWith('/would-take')) return { id: 6, status: 'queued', message: '', answer: null }
    if (pathname.endsWith('/would-take/6')) {
      const answer = {
        title: 'eBGP',
        advertiser: 'skerry',
        neighbour: '203.0.113.129',
        lost_on: 'local_preference',
        sentence: '',
        tried: [],
        changes: [
          {
            ...edit,
            moves: {
              prefixes: 212,
              devices: 3,
              flows: ['upload'],
              flows_asked: 10,
              text: 'changes routes to 212 prefixes on 3 devices',
            },
          },
        ],
      }
      return { id: 6, status: 'done', message: '', answer: [answer] }
    }
    if (pathname.endsWith('/edits/proposal') || pathname.endsWith('/changes')) {
      posted.push(await request.json())
      return pathname.endsWith('/changes') ? { name: 'by-skerry' } : [{ at: ['r1'] }]
    }
    return { devices: [], sites: [], segments: [], outside: [] }
  })
  visit(<RoutesPage />, '/n/net/routes?q=10.9.0.0/16&device=r1', { at: place('editor') })
  await userEvent.click(await screen.findByRole('button', { name: 'Work it out' }))
  expect(await screen.findByText(/local preference ≥ 151/)).toBeInTheDocument()
  expect(screen.getByText('it changes routes to 212 prefixes on 3 devices')).toBeInTheDocument()
  await userEvent.click(screen.getByRole('button', { name: 'Make it a change' }))
  const made = await screen.findByRole('link', { name: /an edit of by-skerry/ })
  expect(made).toHaveAttribute('href', '/n/net/changes/by-skerry?revision=3&change=by-skerry')
  expect(posted).toEqual([
    { changes: edit.changes },
    { purpose: 'traffic goes by skerry for 10.9.0.0/16 at r1', edits: [{ at: ['r1'] }] },
  ])
  await userEvent.click(screen.getByText('the lines it changes'))
  expect(screen.getByText('+ set: {local-preference: 151}')).toBeVisible()
})
