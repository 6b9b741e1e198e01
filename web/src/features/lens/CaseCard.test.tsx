import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import type { Case } from '../../api/types'
import { place, serve, visit } from '../../testing'
import { CaseCard } from './CaseCard'

const edits: Case['edits'] = [
  { at: ['r1', 'mtu'], operation: 'set', file: '', was: null, value: '9000', before: null, line: null, off: false },
] // prettier-ignore
const complaint: Case = {
  name: 'frames',
  title: 'Frames are cut',
  story: 'Since the change.',
  question: null,
  route: null,
  fail: ['link:pier'],
  tables: ['known'],
  edits,
}
const card = <CaseCard complaint={complaint} page="routes" query={{ q: '10.9.0.1' }} asks="10.9.0.1 at r1" />

test.each([
  ['is made a change and seen through it', [], 1],
  ['is seen through the change that was made of it before', [{ name: 'frames' }], 0],
])('a complaint with edits %s', async (_, changes, made) => {
  const posted: unknown[] = []
  serve(async (_, request) => {
    if (request.method === 'POST') posted.push(await request.json())
    return request.method === 'POST' ? { name: 'frames' } : changes
  })
  visit(card, '/n/net/routes?revision=3', { at: place('editor') })
  const button = await screen.findByRole('button', { name: /Frames are cut/ })
  expect(button).toHaveTextContent(
    '10.9.0.1 at r1, with link pier failed, by tables as read, where known, with an edit as a change',
  )
  await userEvent.click(button)
  await waitFor(() =>
    expect(screen.getByLabelText('address')).toHaveTextContent(
      '/n/net/routes?revision=3&change=frames&fail=link%3Apier&tables=known&q=10.9.0.1',
    ),
  )
  expect(posted).toHaveLength(made)
  if (made) expect(posted[0]).toMatchObject({ name: 'frames', purpose: 'Frames are cut', edits })
})

test('a viewer is told who may', async () => {
  serve(() => [])
  visit(card, '/n/net/routes?revision=3')
  expect(await screen.findByText(/An editor may make it a change/)).toBeVisible()
  expect(screen.queryByRole('button')).toBeNull()
})
