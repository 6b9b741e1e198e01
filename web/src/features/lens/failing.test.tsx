import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { Route, Routes } from 'react-router'
import { expect, test } from 'vitest'
import { drawAllRows, place, serve, visit } from '../../testing'
import { failureWords, lensWords } from '../../wording'
import { FailButton } from './FailButton'
import { NetworkFrame } from './Frame'
import { WhatMovesPage } from '../changes/WhatMovesPage'

test.each([
  ['link:harbour', 'link harbour'],
  ['interface:r1:port1', 'interface r1:port1'],
  ['direction:r1:port1', 'the direction out of r1:port1'],
  ['line:isle', 'the line to isle'],
  ['session:r1:2001:db8::1', 'session r1:2001:db8::1'],
])('%s is said as %s', (name, words) => {
  expect(failureWords(name)).toBe(words)
})

test('a lens is named with its revision and what has failed', () => {
  expect(lensWords({ slug: 'net', revision: 3 })).toBe('revision 3')
  expect(lensWords({ slug: 'net', revision: 3, fail: ['device:r1', 'link:a'] })).toBe(
    'revision 3, with device r1, link a failed',
  )
})

function open(address: string) {
  const asked = serve(({ pathname }) => {
    if (pathname.endsWith('/revisions')) return []
    if (pathname.includes('/findings')) return []
    return place().network
  })
  visit(
    <Routes>
      <Route path="/n/:slug" element={<NetworkFrame username="nora" />}>
        <Route path="*" element={<FailButton name="link:pier" what="the link" />} />
      </Route>
    </Routes>,
    address,
  )
  return asked
}

test('what fails stands in the address and the bar, is asked with, and is taken back in either place', async () => {
  const asked = open('/n/net/flows?revision=3&hop=2&fail=device%3Ar1')
  const bar = await screen.findByRole('group', { name: 'Failed in this lens' })
  expect(bar).toHaveTextContent('device r1 failed')
  await userEvent.click(screen.getByRole('button', { name: 'Let the link fail' }))
  // The hop was of another answer and is left behind.
  const both = '/n/net/flows?revision=3&fail=device%3Ar1&fail=link%3Apier'
  expect(screen.getByLabelText('address')).toHaveTextContent(both)
  expect(asked.some((each) => each.includes('fail=device%3Ar1&fail=link%3Apier'))).toBe(true)
  expect(screen.getByRole('link', { name: 'What moves' })).toHaveAttribute(
    'href',
    '/n/net/compare?revision=3&fail=device%3Ar1&fail=link%3Apier',
  )
  await userEvent.click(screen.getByRole('button', { name: 'Let device r1 work again' }))
  await userEvent.click(screen.getByRole('button', { name: 'Let the link work again' }))
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows?revision=3')
  expect(screen.queryByRole('group', { name: 'Failed in this lens' })).toBeNull()
})

const COMPARED = {
  summary: 'One flow no longer arrives.',
  routes: {
    added: [],
    gone: [],
    changed: [],
    groups: [
      {
        device: 'r1',
        vrf: 'guests',
        text: 'r1 has no route to 2 prefixes any more',
        reason: 'nobody has one',
        count: 2,
        prefixes: [],
      },
    ],
  },
  flows: [
    {
      from: 'a',
      to: '10.4.0.0–10.4.0.9',
      as: '',
      source_port: null,
      from_asked: 'a',
      to_asked: '10.4.0.1',
      name: '',
      shift: 'lost',
      before: 'delivered',
      after: 'no_route',
      before_return: null,
      after_return: null,
      asymmetric: false,
      text: 'arrives before, finds no route at r1 now',
      from_alike: ['b', 'c'],
      to_alike: [],
    },
  ],
  flows_asked: 4,
  flows_left: 0,
  sessions: { up: [], down: [{ device: 'r1', vrf: 'default', neighbour: '192.0.2.1', reason: 'it is off' }] },
  adjacencies: { up: [], down: [] },
  roles: [],
  findings: { new: [], gone: [] },
  entries: [],
  warnings: [
    {
      code: 'last_exit',
      text: 'one is left',
      evidence: [{ text: 'see here', file: 'r1.yaml', line: 3, column: 1 }],
    },
  ],
}

test('what moves is told with its warnings, flows, routes and sessions', async () => {
  drawAllRows()
  const job = { id: 9, status: 'done', step: 'finished', message: '', answer: COMPARED }
  const asked = serve(({ pathname }) => (pathname.includes('/comparisons') ? job : []))
  const at = place()
  visit(<WhatMovesPage />, '/n/net/compare', { at: { ...at, lens: { ...at.lens, fail: ['device:r1'] } } })
  expect(await screen.findByText('One flow no longer arrives.')).toBeVisible()
  expect(screen.getByText('seen through revision 3, with device r1 failed')).toBeVisible()
  expect(asked).toContain('POST /api/networks/net/comparisons?revision=3&fail=device%3Ar1&base_revision=3')
  expect(screen.getByText('one is left')).toBeVisible()
  expect(screen.getByText('and 2 more')).toHaveAttribute('title', 'b, c')
  expect(screen.getByRole('link', { name: 'arrives before, finds no route at r1 now' })).toHaveAttribute(
    'href',
    '/n/net/flows?revision=3&fail=device%3Ar1&base_revision=3&from=a&to=10.4.0.1',
  )
  await userEvent.click(screen.getByRole('button', { name: 'Routes 2' }))
  expect(await screen.findByText('nobody has one')).toBeVisible()
  expect(screen.getByRole('link', { name: 'side by side' })).toHaveAttribute(
    'href',
    '/n/net/routes?revision=3&fail=device%3Ar1&base_revision=3&table=r1&vrf=guests&before=1&differing=1',
  )
  await userEvent.click(screen.getByRole('button', { name: 'Entries, sessions, findings 1' }))
  expect(await screen.findByText('r1 with 192.0.2.1: it is off')).toBeVisible()
})

test('of a lens that is its own revision as it is nothing is asked', async () => {
  const asked = serve(() => [])
  visit(<WhatMovesPage />, '/n/net/compare')
  expect(await screen.findByText(/Both are the same/)).toBeVisible()
  expect(asked.some((each) => each.includes('/comparisons'))).toBe(false)
})
