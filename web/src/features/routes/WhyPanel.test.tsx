import { screen, within } from '@testing-library/react'
import { expect, test } from 'vitest'
import type { Why } from '../../api/types'
import { serve, visit } from '../../testing'
import { WhyPanel } from './WhyPanel'
import { candidatesWith } from './candidates.testing'

const candidate = candidatesWith(['usable', 'distance', 'metric'])
const why = (more: Partial<Why>): Why => ({
  device: 'r1',
  vrf: 'default',
  matched: '10.9.0.0/16',
  sentence: '',
  why: 'Its distance is below.',
  behind: [],
  absent: null,
  redistributions: [],
  doubt: null,
  candidates: [],
  ...more,
})

function show(answer: Why, q = '10.9.0.0/16') {
  serve(({ pathname }) => (pathname.endsWith('/why') ? answer : {}))
  visit(<WhyPanel q={q} device="r1" vrf="default" />, '/n/net/routes')
}

test('each candidate is out on its own rung, with its line, and nothing stands below', async () => {
  show(
    why({
      candidates: [
        candidate('OSPF', ['yes', '110', '20'], null),
        candidate('RIP', ['yes', '120', '3'], 'distance', {
          also: [{ file: 'r1.yaml', line: 9, column: 1 }],
        }),
        candidate('Static', ['interface e7 is down', '1', '0'], 'usable'),
      ],
    }),
  )
  const table = await screen.findByRole('table', { name: 'Candidates as columns, rungs as rows' })
  const rows = within(table).getAllByRole('row')
  const cells = (at: number) =>
    within(rows[at] as HTMLElement)
      .getAllByRole('cell')
      .map((cell) => cell.textContent)
  expect(cells(1)).toEqual(['yes', 'yes', 'interface e7 is down eliminated here'])
  expect(cells(2)).toEqual(['110', '120 eliminated here', 'out before this rung'])
  const last = cells(rows.length - 1)
  expect(last[0]).toContain('✓ r9 by e1')
  expect(last[1]).toContain('✗ no')
  expect(screen.getByText(/3 candidates/)).toBeVisible()
  const links = screen.getAllByRole('link').map((link) => link.getAttribute('href'))
  expect(links).toContain('/n/net/devices/files?revision=3&file=r1.yaml&line=9')
})

test('more candidates than fit are counted', async () => {
  const losers = Array.from({ length: 6 }, () => candidate('RIP', ['yes', '120', '3'], 'distance'))
  show(why({ candidates: [candidate('OSPF', ['yes', '110', '20'], null), ...losers] }))
  expect(await screen.findByText('and 2 more that lost')).toBeVisible()
})

test('what is uncertain is said above the ladder', async () => {
  show(
    why({
      doubt: 'It depends on who came first.',
      candidates: [candidate('OSPF', ['yes', '110', '2'], null)],
    }),
  )
  expect(await screen.findByRole('note')).toHaveTextContent('Not certain. It depends on who came first.')
})

test('what an address falls back to is told, but not for a prefix', async () => {
  const behind = [
    { ...candidate('Static', [], null), prefix: '0.0.0.0/0', distance: 1, metric: 0, tag: 0, discard: true },
  ]
  const answer = why({
    sentence: 'The default route stands behind it.',
    behind: behind as unknown as Why['behind'],
  })
  show(answer, '10.9.1.1')
  expect(await screen.findByText('What stands behind it')).toBeVisible()
  expect(screen.getByText('0.0.0.0/0')).toBeVisible()
})

test('a route that is absent shows how far it got, what stopped it and how to mend it', async () => {
  const step = (kind: string, text: string, suggestion: string) => ({
    kind, device: 'r2', text, suggestion, file: 'r2.yaml', line: 4, column: 1,
  }) // prettier-ignore
  show(
    why({
      matched: null,
      absent: {
        sentence: 'r1 has no route to 10.9.0.0/16: r2 keeps it back.',
        prefix: '10.9.0.0/16',
        originators: ['r3'],
        reached: ['r3', 'r2'],
        stopped_between: ['r2', 'r1'],
        reason: 'filtered',
        steps: [
          step('origin', 'r3 is connected to it', ''),
          step('filtered', 'a policy rejects it', 'accept it'),
        ],
      },
    }),
  )
  expect(await screen.findByText('Why r1 has none')).toBeVisible()
  expect(screen.getByText('✗ r1')).toBeVisible()
  const steps = screen.getAllByRole('listitem').map((item) => item.textContent)
  expect(steps[0]).toContain('✓r3 is connected to it.')
  expect(steps[1]).toContain('✗a policy rejects it. To mend it: accept it.')
})
