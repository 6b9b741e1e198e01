import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { serve, visit } from '../../testing'
import { PoliciesPage } from './PoliciesPage'
import { routeFrom } from './policyRoute'

const at = { file: 'r1.yaml', line: 4, column: 1 }
const step = { policy: 'p', result: null, failed: null, changes: [], called: [], ...at }
const trial = {
  sentence: 'Policy p of r1 accepts it.',
  device: 'r1',
  policy: 'p',
  result: 'accept',
  by_default: false,
  statement: 'take',
  steps: [
    { ...step, statement: 'skip', matched: false, failed: 'as-path' },
    {
      ...step,
      statement: 'take',
      matched: true,
      result: 'accept',
      changes: [{ attribute: 'med', before: '', after: '5' }],
    },
  ],
  not_reached: [{ statement: 'late', ...at }],
  before: { prefix: '10.0.0.0/8', med: null },
  route: { prefix: '10.0.0.0/8', med: 5 },
  ...at,
}

test('a route is tried, and each statement says what it made of it', async () => {
  const bodies: unknown[] = []
  serve(({ pathname }, request) => {
    if (pathname.endsWith('/policies')) {
      return [
        {
          device: 'r1',
          policy: 'p',
          description: '',
          default: 'reject',
          statements: 3,
          bound: ['import from isle'],
          ...at,
        },
      ]
    }
    void request
      .clone()
      .json()
      .then((body) => bodies.push(body))
    return trial
  })
  visit(<PoliciesPage />, '/n/net/routes/policies')
  await userEvent.click(await screen.findByRole('button', { name: /p of r1/ }))
  await userEvent.type(screen.getByLabelText('prefix'), '10.0.0.0/8')
  await userEvent.type(screen.getByLabelText('med'), '7')
  await userEvent.click(screen.getByRole('button', { name: 'Try it' }))
  expect(await screen.findByRole('status', { name: 'Result' })).toHaveTextContent('✓ accepted')
  expect(screen.getByText(/no match on as-path/)).toBeInTheDocument()
  expect(screen.getByText(/late: not reached/)).toBeInTheDocument()
  expect(bodies).toEqual([{ device: 'r1', policy: 'p', route: { prefix: '10.0.0.0/8', med: 7 } }])
  expect(screen.getByLabelText('address')).toHaveTextContent('prefix=10.0.0.0%2F8')
})

test.each([
  [{ prefix: ' ' }, null],
  [
    { prefix: '10.0.0.0/8', communities: 'no-export, 64500:1', weight: '' },
    { prefix: '10.0.0.0/8', communities: ['no-export', '64500:1'] },
  ],
  [
    { prefix: '10.0.0.0/8', med: 'x' },
    { prefix: '10.0.0.0/8', med: 'x' },
  ],
])('a form becomes a route: %j', (text, route) => {
  expect(routeFrom(text as Record<string, string>)).toEqual(route)
})
