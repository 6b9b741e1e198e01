import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test, vi } from 'vitest'
import type { ImportJob } from '../../api/types'
import { place, serve, visit } from '../../testing'
import { aFinding } from '../findings/findings.testing'
import { ImportJobPage } from './ImportJobPage'
import { ImportPage } from './ImportPage'

// The editor measures text, which this DOM cannot; the browser test sees the real one.
vi.mock('../devices/FileText', () => ({
  FileText: ({ text, line }: { text: string; line: number }) => <p>shown: {text.split('\n')[line - 1]}</p>,
}))

const job: ImportJob = {
  id: 7,
  kind: 'import',
  network: 'net',
  author: 'nora',
  created: '2026-01-01T00:00:00Z',
  started: null,
  ended: null,
  status: 'running',
  step: 'reading',
  done: 3,
  total: 40,
  found: 0,
  message: '',
  revision: null,
  answer: null,
}
const problem = (file: string, line: number, text: string) =>
  aFinding(text, { code: 'unknown_key', file, line, column: 5 })

/** Serves an import in one state after the other; the last one stays. */
function open(...states: ImportJob[]) {
  let looks = 0
  const asked = serve(({ pathname }) => {
    if (pathname.endsWith('/cancel')) {
      states = [{ ...job, status: 'cancelled', message: 'Nothing was kept.' }]
      return states[0]
    }
    if (pathname.includes('/files/')) return { path: 'a.yaml', text: 'one\ntwo\nthree' }
    return states[Math.min(looks++, states.length - 1)]
  })
  visit(<ImportJobPage />, '/n/net/imports/7', { pattern: '/n/:slug/imports/:id', at: place('editor') })
  return asked
}

test('progress is looked at until the import has ended', async () => {
  const found = { problems: [], problem_count: 0, skipped: ['notes.txt'] }
  const asked = open(
    job,
    { ...job, done: 20 },
    {
      ...job,
      done: 40,
      status: 'done',
      revision: 4,
      message: '40 devices became revision 4.',
      answer: found,
    },
  )
  expect(await screen.findByRole('progressbar')).toHaveAttribute('value', '3')
  expect(await screen.findByText('reading: 20 of 40 files')).toBeVisible()
  expect(await screen.findByText('40 devices became revision 4.')).toBeVisible()
  expect(screen.getByText(/Left out, being of no known format: notes.txt/)).toBeVisible()
  expect(screen.queryByRole('progressbar')).toBeNull()
  const looks = asked.length
  await new Promise((resolve) => setTimeout(resolve, 700))
  expect(asked).toHaveLength(looks)
})

test('a running import can be cancelled', async () => {
  const asked = open(job)
  await userEvent.click(await screen.findByRole('button', { name: 'Cancel' }))
  expect(await screen.findByText('Cancelled')).toBeVisible()
  expect(asked).toContain('POST /api/jobs/7/cancel')
})

test('a refused import lists its problems and shows the line of the one chosen', async () => {
  open({
    ...job,
    status: 'refused',
    message: '2,500 problems in the files; nothing was kept.',
    answer: {
      problem_count: 2500,
      skipped: [],
      problems: [problem('a.yaml', 2, 'no key “x”'), problem('a.yaml', 3, 'no key “y”')],
    },
  })
  expect(await screen.findByText('2,500 problems, the first 2 of them')).toBeVisible()
  const first = await screen.findByRole('button', { name: /no key “x”/ })
  expect(first).toHaveAttribute('aria-current', 'true')
  expect(await screen.findByText('shown: two')).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: /no key “y”/ }))
  expect(screen.getByLabelText('address')).toHaveTextContent('file=a.yaml&line=3')
  expect(screen.getByText('shown: three')).toBeVisible()
  expect(await screen.findByRole('link', { name: 'Import again' })).toBeVisible()
})

test('viewers are told that importing is not theirs', () => {
  serve(() => [])
  visit(<ImportPage />, '/n/net/import')
  expect(screen.getByText(/importing takes an editor/)).toBeVisible()
})

test('an owner deletes a revision after a second question, others see what is kept', async () => {
  const asked = serve(({ pathname }, request) => {
    if (request.method === 'DELETE') return new Response(null, { status: 204 })
    if (pathname.endsWith('/revisions'))
      return [
        { number: 2, created: '2026-01-01T00:00:00Z', author: 'nora', note: '', content_hash: '', files: 3 },
      ]
    if (pathname.endsWith('/jobs'))
      return [{ ...job, status: 'refused', message: '2 problems in the files; nothing was kept.' }]
    return []
  })
  visit(<ImportPage />, '/n/net/import', { at: place('owner') })
  expect(await screen.findByText('2 problems in the files; nothing was kept.')).toBeVisible()
  await userEvent.click(await screen.findByRole('button', { name: 'Delete revision 2' }))
  await userEvent.click(await screen.findByRole('button', { name: 'Keep it' }))
  expect(asked.some((each) => each.startsWith('DELETE'))).toBe(false)
  await userEvent.click(await screen.findByRole('button', { name: 'Delete revision 2' }))
  await userEvent.click(await screen.findByRole('button', { name: 'Delete the revision' }))
  await vi.waitFor(() => expect(asked).toContain('DELETE /api/networks/net/revisions/2'))
})

const read = { problems: [], problem_count: 0, skipped: [] }

test('what would change is told by device and line, and kept only when somebody says so', async () => {
  const changed = {
    path: 'devices/r1.yaml',
    device: 'r1',
    what: 'changed',
    lines_added: 1,
    lines_removed: 0,
    edits: [{ file: 'devices/r1.yaml', line: 9, before: '', after: 'description: new' }],
  }
  const difference = {
    revision: 3,
    sentence: 'One file differs: 1 changed; 4 the same.',
    same: 4,
    files: [changed],
  }
  const said: unknown[] = []
  const asked = serve(async ({ pathname }, request) => {
    if (pathname.endsWith('/again')) {
      said.push(await request.json())
      return { ...job, id: 8 }
    }
    return { ...job, status: 'done', answer: { ...read, difference } }
  })
  visit(<ImportJobPage />, '/n/net/imports/7', { pattern: '/n/:slug/imports/:id', at: place('editor') })
  expect(await screen.findByText('Read, and not kept yet')).toBeVisible()
  expect(screen.getByRole('status', { name: 'Difference' })).toHaveTextContent('One file differs')
  expect(screen.queryByRole('link', { name: 'Ask a flow' })).toBeNull()
  await userEvent.click(screen.getByText('devices/r1.yaml'))
  expect(screen.getByText(/description: new/)).toBeVisible()
  expect(asked.some((each) => each.startsWith('POST'))).toBe(false)
  await userEvent.click(screen.getByRole('button', { name: 'Make it a revision' }))
  await waitFor(() => expect(said).toEqual([{ preview: false, after: 3 }]))
  await waitFor(() => expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/imports/8'))
})

test('columns that nobody can guess are told, remembered, and the files read again', async () => {
  const file = {
    path: 'held.csv',
    format: 'csv',
    device: null,
    verdict: 'refused',
    messages: [{ path: 'held.csv', line: 1, text: 'its columns are those of no list that is known' }],
    columns: { header: ['kit', 'where to'], kind: null, taken: {} },
  }
  const said: unknown[] = []
  const asked = serve(async ({ pathname }, request) => {
    if (pathname.endsWith('/lists') && request.method === 'GET')
      return [{ name: 'tables', columns: ['device', 'prefix', 'metric'], needed: ['device', 'prefix'] }]
    if (request.method === 'POST') said.push(await request.json())
    if (pathname.endsWith('/again')) return { ...job, id: 9 }
    if (pathname.endsWith('/lists')) return {}
    return { ...job, status: 'done', answer: { ...read, files: [file] } }
  })
  visit(<ImportJobPage />, '/n/net/imports/7', { pattern: '/n/:slug/imports/:id', at: place('editor') })
  await userEvent.click(await screen.findByRole('button', { name: 'Say what its columns are' }))
  await userEvent.selectOptions(
    await screen.findByLabelText('It is a list of'),
    await screen.findByRole('option', { name: 'tables' }),
  )
  const take = screen.getByRole('button', { name: 'Take it so and read again' })
  expect(take).toBeDisabled()
  await userEvent.selectOptions(screen.getByLabelText('device'), 'kit')
  await userEvent.selectOptions(screen.getByLabelText('prefix'), 'where to')
  await userEvent.click(take)
  await waitFor(() => expect(asked.some((each) => each.includes('/again'))).toBe(true))
  expect(said).toEqual([
    { header: ['kit', 'where to'], kind: 'tables', taken: { device: 'kit', prefix: 'where to' } },
    { preview: true },
  ])
})
