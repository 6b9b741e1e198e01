import { act, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test, vi } from 'vitest'
import type { ImportJob } from '../../api/types'
import { place, serve, visit } from '../../testing'
import { ImportJobPage } from './ImportJobPage'
import { ImportPage } from './ImportPage'

// The editor measures text, which this DOM cannot; the browser test sees the real one.
vi.mock('../devices/FileText', () => ({ FileText: ({ text, line }: { text: string; line: number }) => <p>shown: {text.split('\n')[line - 1]}</p> }))

const job: ImportJob = {
  id: 7, network: 'net', created: '2026-01-01T00:00:00Z', status: 'running', step: 'reading', done: 3, total: 40, message: '',
  problems: [], skipped: ['notes.txt'], revision: null,
}
const problem = (file: string, line: number, text: string): ImportJob['problems'][number] => ({
  severity: 'error', code: 'unknown_key', text, suggestion: '', device: null, file, line, column: 5, also: [],
})

/** Stands in for the browser's event source; `tell` sends an event. */
class Events {
  static open: Events[] = []
  onmessage: ((event: { data: string }) => void) | null = null
  onerror: (() => void) | null = null
  closed = false
  constructor(readonly url: string) {
    Events.open.push(this)
  }
  close() {
    this.closed = true
  }
  tell(next: ImportJob) {
    act(() => this.onmessage?.({ data: JSON.stringify(next) }))
  }
}

function open(first: ImportJob) {
  Events.open = []
  vi.stubGlobal('EventSource', Events)
  const asked = serve(({ pathname }) => {
    if (pathname.endsWith('/cancel')) return { ...first, status: 'cancelled', message: 'Nothing was kept.' }
    if (pathname.includes('/files/')) return { path: 'a.yaml', text: 'one\ntwo\nthree' }
    return first
  })
  visit(<ImportJobPage />, '/n/net/imports/7', { pattern: '/n/:slug/imports/:id', at: place('editor') })
  return asked
}

test('progress comes by events until the import has ended', async () => {
  open(job)
  expect(await screen.findByRole('progressbar')).toHaveAttribute('value', '3')
  expect(screen.getByText(/Left out, being no device files: notes.txt/)).toBeVisible()
  const [events] = Events.open
  expect(events?.url).toBe('/api/imports/7/events')
  events?.tell({ ...job, done: 20 })
  expect(await screen.findByText('reading: 20 of 40 files')).toBeVisible()
  events?.tell({ ...job, done: 40, status: 'done', revision: 4, message: '40 devices became revision 4.' })
  expect(await screen.findByText('40 devices became revision 4.')).toBeVisible()
  expect(screen.queryByRole('progressbar')).toBeNull()
  expect(events?.closed).toBe(true)
})

test('without events the page asks again by itself', async () => {
  const asked = open(job)
  await screen.findByRole('progressbar')
  act(() => Events.open[0]?.onerror?.())
  await vi.waitFor(() => expect(asked.filter((each) => each === 'GET /api/imports/7').length).toBeGreaterThan(1), 4000)
})

test('a running import can be cancelled', async () => {
  const asked = open(job)
  await userEvent.click(await screen.findByRole('button', { name: 'Cancel' }))
  expect(await screen.findByText('Cancelled')).toBeVisible()
  expect(asked).toContain('POST /api/imports/7/cancel')
})

test('a refused import lists its problems and shows the line of the one chosen', async () => {
  open({ ...job, status: 'refused', message: '2 problems in the files; nothing was kept.', problems: [problem('a.yaml', 2, 'no key “x”'), problem('a.yaml', 3, 'no key “y”')] })
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
