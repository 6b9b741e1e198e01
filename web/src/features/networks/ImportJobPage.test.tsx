import { screen } from '@testing-library/react'
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
