import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import type { Found } from '../../api/types'
import { serve, visit } from '../../testing'
import { FindAnything } from './FindAnything'
import { stillMatching } from './matching'

const rule: Found = {
  kind: 'rule',
  title: 'wan rule 30',
  detail: 'fw: deny tcp',
  value: '30',
  device: 'fw',
  file: 'fw.yaml',
  line: 7,
  column: 3,
}
const device: Found = {
  kind: 'device',
  title: 'fw',
  detail: 'firewall',
  value: 'fw',
  device: 'fw',
  file: 'fw.yaml',
  line: 1,
  column: 1,
}

test('a slash opens it, Enter opens the line of what is found', async () => {
  const asked = serve(() => [rule])
  visit(<FindAnything />, '/n/net/flows')
  await userEvent.keyboard('/')
  await userEvent.type(await screen.findByRole('combobox', { name: 'Find anything' }), 'rule 30')
  await screen.findByText('fw: deny tcp')
  await waitFor(() =>
    expect(asked).toContain('GET /api/networks/net/find?revision=3&q=rule%2030&endpoints=false'),
  )
  await userEvent.keyboard('{ArrowDown}{Enter}')
  expect(screen.getByLabelText('address')).toHaveTextContent(
    '/n/net/devices/files?revision=3&file=fw.yaml&line=7',
  )
  // Not a question for each letter: what is typed without a pause is asked once.
  expect(asked.filter((path) => path.includes('/find?')).length).toBeLessThan(4)
})

test('a whole question opens its answer', async () => {
  const question = {
    ...rule,
    kind: 'flow',
    title: 'a → b, tcp 1',
    detail: 'Flows',
    value: 'from=a&to=b&as=tcp+1',
  }
  serve(() => [{ ...question, device: null, file: null, line: null, column: null }])
  visit(<FindAnything />, '/n/net/routes')
  await userEvent.keyboard('/')
  await userEvent.type(await screen.findByRole('combobox', { name: 'Find anything' }), 'a b tcp 1')
  await screen.findByText('ask')
  await userEvent.keyboard('{ArrowDown}{Enter}')
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows?revision=3&from=a&to=b&as=tcp+1')
})

test.each([
  ['gf', '/n/net/flows?revision=3'],
  ['gr', '/n/net/routes?revision=3'],
  ['gd', '/n/net/devices/chart?revision=3'],
])('%s goes to %s', async (keys, address) => {
  serve(() => [])
  visit(<FindAnything />, '/n/net/elsewhere')
  await userEvent.keyboard(keys)
  expect(screen.getByLabelText('address')).toHaveTextContent(address)
})

test('a question mark shows the keys, which Escape closes; in a field it is a letter', async () => {
  serve(() => [])
  visit(
    <>
      <input aria-label="field" />
      <FindAnything />
    </>,
    '/n/net/flows',
  )
  await userEvent.keyboard('?')
  expect(await screen.findByRole('dialog', { name: 'Keys' })).toBeVisible()
  await userEvent.keyboard('{Escape}')
  expect(screen.queryByRole('dialog')).toBeNull()
  await userEvent.type(screen.getByLabelText('field'), '?/gf')
  expect(screen.queryByRole('dialog')).toBeNull()
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows')
})

test('find-anything says that it cannot', async () => {
  serve(() => {
    throw new TypeError('Failed to fetch')
  })
  visit(<FindAnything />, '/n/net/flows')
  await userEvent.keyboard('/')
  await userEvent.type(await screen.findByRole('combobox', { name: 'Find anything' }), 'kiosk')
  expect(await screen.findByRole('alert')).toHaveTextContent('The server cannot be reached.')
})

test('old results that no longer match are not offered while new ones come', () => {
  expect(stillMatching('rule', { data: [rule, device], isPlaceholderData: true })).toEqual([rule])
  expect(stillMatching('rule', { data: [rule, device], isPlaceholderData: false })).toHaveLength(2)
})
