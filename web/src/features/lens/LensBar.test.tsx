import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { LensBar } from './LensBar'

const revision = (number: number, note = '') => ({
  number,
  created: '2026-01-01T12:00:00Z',
  author: 'nora',
  note,
  content_hash: '',
  files: 1,
})

beforeEach(() => {
  serve(() => [revision(3), revision(2, 'before the move')])
})

test('the newest revision follows by itself; an older one is named in the address and said to be old', async () => {
  visit(<LensBar />, '/n/net/flows?from=a')
  expect(screen.queryByText('not the newest')).toBeNull()
  await userEvent.click(await screen.findByRole('button', { name: /seen through revision 3/ }))
  await userEvent.click(await screen.findByRole('option', { name: /revision 2 .*nora: before the move/ }))
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows?from=a&revision=2')
})

test('through an older revision one comes back to the newest', async () => {
  const old = { ...place(), lens: { slug: 'net', revision: 2 } }
  visit(<LensBar />, '/n/net/flows?from=a&revision=2', { at: old })
  expect(await screen.findByText('not the newest')).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: /seen through revision 2/ }))
  await userEvent.click(await screen.findByRole('option', { name: /revision 3/ }))
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows?from=a')
  expect(screen.getByLabelText('address')).not.toHaveTextContent('revision')
})

test.each([
  ['viewer', false],
  ['editor', true],
] as const)('a network without files offers the import to whoever may: %s', (role, offered) => {
  const at = place(role)
  const empty = { ...at, lens: { slug: 'net' }, network: { ...at.network, newest_revision: null } }
  visit(<LensBar />, '/n/net/flows', { at: empty })
  expect(screen.getByText(/nothing imported yet/)).toBeVisible()
  expect(screen.queryByRole('link', { name: 'import files' }) !== null).toBe(offered)
})
