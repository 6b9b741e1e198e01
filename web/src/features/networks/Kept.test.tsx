import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { Kept } from './Kept'

const REVISIONS = [2, 1].map((number) => ({
  number,
  created: '2026-03-01T10:00:00Z',
  author: 'nora',
  note: number === 1 ? 'as shipped' : '',
  content_hash: '',
  files: 12,
}))
const JOBS = [
  {
    id: 8,
    kind: 'import',
    status: 'refused',
    created: '2026-03-02T10:00:00Z',
    author: 'nora',
    message: '3 problems',
    step: '',
    done: 0,
    total: 0,
  },
  {
    id: 9,
    kind: 'import',
    status: 'running',
    created: '2026-03-03T10:00:00Z',
    author: 'olaf',
    message: '',
    step: 'reading',
    done: 4,
    total: 9,
  },
  {
    id: 10,
    kind: 'import',
    status: 'queued',
    created: '2026-03-03T10:00:00Z',
    author: 'olaf',
    message: '',
    step: '',
    done: 0,
    total: 0,
  },
  {
    id: 11,
    kind: 'remedies',
    status: 'done',
    created: '2026-03-03T10:00:00Z',
    author: 'olaf',
    message: '',
    step: '',
    done: 0,
    total: 0,
  },
]
let asked: string[]

beforeEach(() => {
  asked = serve(({ pathname }, request) => {
    if (request.method === 'DELETE') return new Response(null, { status: 204 })
    return pathname.endsWith('/revisions') ? REVISIONS : pathname.endsWith('/jobs') ? JOBS : []
  })
})

test('revisions and imports say what they are; who does not own the network deletes none', async () => {
  visit(<Kept />, '/n/net/import', { at: place('editor') })
  const revisions = await screen.findByRole('region', { name: 'Revisions' })
  expect(await within(revisions).findByText('12 files; as shipped')).toBeVisible()
  const imports = screen.getByRole('region', { name: 'Imports' })
  expect(within(imports).getByText('3 problems')).toBeVisible()
  expect(within(imports).getByText('reading, 4 of 9 files')).toBeVisible()
  expect(within(imports).getByText('waiting for its turn')).toBeVisible()
  expect(within(imports).getAllByRole('listitem')).toHaveLength(3) // a search for remedies is no import
  expect(screen.queryByRole('button', { name: /Delete/ })).toBeNull()
})

test('an owner is asked once more, may think better of it, and deletes', async () => {
  visit(<Kept />, '/n/net/import', { at: place('owner') })
  await userEvent.click(await screen.findByRole('button', { name: 'Delete revision 1' }))
  const dialog = screen.getByRole('dialog', { name: 'Delete revision 1?' })
  expect(dialog).toHaveTextContent('Its files, drafts and searches go with it, for good.')
  expect(screen.getByRole('button', { name: 'Keep it' })).toHaveFocus()
  await userEvent.keyboard('{Escape}')
  expect(screen.queryByRole('dialog')).toBeNull()
  expect(asked.some((one) => one.startsWith('DELETE'))).toBe(false)
  await userEvent.click(screen.getByRole('button', { name: 'Delete revision 1' }))
  await userEvent.click(screen.getByRole('button', { name: 'Delete the revision' }))
  expect(asked).toContain('DELETE /api/networks/net/revisions/1')
  await userEvent.click(screen.getByRole('button', { name: 'Delete this network' }))
  await userEvent.click(screen.getByRole('button', { name: 'Delete the network' }))
  expect(asked).toContain('DELETE /api/networks/net')
  await waitFor(() => expect(screen.getByLabelText('address')).toHaveTextContent(/^\/$/))
})
