import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { HistoryPage } from './HistoryPage'

const revision = (number: number, more: object = {}) => ({
  number,
  created: '2026-01-01T00:00:00Z',
  author: 'nora',
  name: '',
  note: '',
  change: null,
  content_hash: `h${number}`,
  files: 1,
  ...more,
})

function open(role: 'viewer' | 'editor') {
  const said: unknown[] = []
  const asked = serve(async ({ pathname }, request) => {
    if (request.method !== 'GET') said.push(await request.json())
    if (pathname.endsWith('/back')) return revision(4)
    if (pathname.endsWith('/revisions'))
      return [
        revision(3, { note: 'by r2', change: 'move' }),
        revision(2, { name: 'before the move' }),
        revision(1, { content_hash: 'h3' }),
      ]
    return revision(2)
  })
  visit(<HistoryPage />, '/n/net/history?revision=3', { at: place(role) })
  return { asked, said }
}

test('revisions tell why, by whom and of which change, and one goes back to an older one', async () => {
  const { asked, said } = open('editor')
  const [newest, second, first] = await screen.findAllByRole('listitem')
  if (!newest || !second || !first) throw new Error('three revisions')
  expect(newest).toHaveTextContent(/by r2.*1 Jan 2026.*nora, the change move/)
  expect(within(newest).getByRole('link', { name: 'What moved' })).toHaveAttribute(
    'href',
    '/n/net/compare?revision=3&base_revision=2',
  )
  expect(first).toHaveTextContent('equal to revision 3')
  expect(within(first).queryByRole('button', { name: 'Go back to it' })).toBeNull()
  await userEvent.click(within(second).getByRole('button', { name: 'Go back to it' }))
  expect(asked.some((each) => each.startsWith('POST'))).toBe(false) // it asks once more
  await userEvent.type(within(second).getByRole('textbox'), 'too early{Enter}')
  await waitFor(() => expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/history?revision=4'))
  expect(said).toEqual([{ reason: 'too early' }])
})

test('a revision is named', async () => {
  const { said } = open('editor')
  await userEvent.click(await screen.findByRole('button', { name: 'edit the name of revision 2' }))
  const name = screen.getByLabelText('Name')
  expect(name).toHaveValue('before the move')
  await userEvent.clear(name)
  await userEvent.type(name, 'old lines{Enter}')
  expect(said).toEqual([{ name: 'old lines', note: '' }])
})

test('a viewer only reads', async () => {
  open('viewer')
  expect(await screen.findAllByRole('listitem')).toHaveLength(3)
  expect(screen.queryByRole('button')).toBeNull()
})
