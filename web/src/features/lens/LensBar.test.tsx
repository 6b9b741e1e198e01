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

test('a revision that is chosen is named in the address; what is of one revision alone is left behind', async () => {
  visit(<LensBar />, '/n/net/flows?from=a&remedies=7&revision=3')
  expect(screen.queryByText(/is newer/)).toBeNull()
  await userEvent.click(await screen.findByRole('button', { name: /Revision 3/ }))
  await userEvent.click(await screen.findByRole('option', { name: /revision 2 .*nora: before the move/ }))
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows?from=a&revision=2')
})

test('through an older revision one is told of the newest, and comes to it', async () => {
  const old = { ...place(), lens: { slug: 'net', revision: 2 } }
  visit(<LensBar />, '/n/net/flows?from=a&revision=2', { at: old })
  await userEvent.click(await screen.findByRole('button', { name: 'revision 3 is newer' }))
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows?from=a&revision=3')
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
