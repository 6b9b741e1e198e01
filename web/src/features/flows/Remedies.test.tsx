import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { Remedies } from './Remedies'
import { SavedQuestionsPage } from './SavedQuestionsPage'

const question = { from: 'kiosk', to: 'db', as: 'tcp 5432' }
const remedy = {
  take: 'it opens least',
  text: 'fw: new rule 25 in filter wan: permit tcp; fw: MTU 1500 on e1',
  changes: [{ file: 'fw.yaml', patch: { kind: 'set_key', path: [], key: 'a', value: '1' } }],
  edits: [{ file: 'fw.yaml', line: 7, before: '', after: '  - {id: 25, permit: tcp}' }],
  opens: 65536,
  opens_text: 'also lets all of 10.0.0.0/8 reach db on tcp 5432',
  moves: {
    prefixes: 0,
    devices: 0,
    flows: ['tide'],
    breaks: ['tide'],
    flows_asked: 3,
    text: 'changes no route',
  },
  then: 'Delivered to db.',
}

test('a search shows its progress, can be cancelled, and tells each edit with its line', async () => {
  let isCancelled = false
  const asked = serve(({ pathname }, request) => {
    if (request.method === 'POST' && pathname.endsWith('/cancel')) {
      isCancelled = true
      return { id: 4, status: 'cancelled', done: 3, found: 0, message: '', answer: null }
    }
    if (request.method === 'POST')
      return { id: 4, status: 'queued', done: 0, found: 0, message: '', answer: null }
    if (!isCancelled) return { id: 4, status: 'running', done: 3, found: 1, message: '', answer: null }
    return {
      id: 4,
      status: 'done',
      done: 6,
      found: 1,
      message: '',
      answer: {
        remedies: [remedy],
        remedies_sentence: 'One remedy found by trying 6 edits.',
        tried: 6,
        given_up: false,
      },
    }
  })
  visit(<Remedies question={question} />, '/n/net/flows')
  await userEvent.click(screen.getByRole('button', { name: 'Search for remedies' }))
  expect(await screen.findByText(/Trying edits: 3 tried, 1 that help so far/)).toBeVisible()
  expect(screen.getByLabelText('address')).toHaveTextContent('remedies=4')
  await userEvent.click(screen.getByRole('button', { name: 'Cancel' }))
  await waitFor(() => expect(asked).toContain('POST /api/jobs/4/cancel'))
  expect(await screen.findByText('One remedy found by trying 6 edits.')).toBeVisible()
  expect(screen.getByText('fw: MTU 1500 on e1')).toBeVisible()
  expect(
    screen.getByText(/also lets all of 10.0.0.0\/8 reach db on tcp 5432; changes no route/),
  ).toBeVisible()
  expect(screen.queryByText(/65,536/)).toBeNull()
  await userEvent.click(screen.getByRole('button', { name: 'how much exactly' }))
  expect(screen.getByText(/65,536 headers/)).toBeVisible()
  expect(screen.getByText('Take this one:').parentElement).toHaveTextContent('it opens least.')
  expect(screen.getByRole('note')).toHaveTextContent('Breaks tide, which arrived before.')
  expect(screen.getByText('+ - {id: 25, permit: tcp}')).toBeVisible()
  expect(screen.getByRole('link', { name: 'fw.yaml:7' })).toHaveAttribute(
    'href',
    '/n/net/devices/files?revision=3&file=fw.yaml&line=7',
  )
})

const saved = {
  id: 9,
  name: 'kiosk books',
  folder: 'ticketing',
  question: { ...question, dscp: 0, may_fragment: false },
  author: 'nora',
  created: '2026-01-01T00:00:00Z',
  answer: { works: false, sentence: 'Blocked at fw.', verdict: 'filtered', return_verdict: null },
  revision: 3,
  ran: '2026-01-02T00:00:00Z',
  changed: null,
  worked_in: 2,
  since_then: 'Since revision 2 these files changed: fw.yaml.',
  moved: [{ direction: 'forward', gone: ['kiosk → fw: filtered'], new: ['kiosk → fw → db'] }],
  moved_from: 2,
}

test('a broken question says what changed since it worked; editors run and drop it', async () => {
  let ran = false
  const asked = serve(({ pathname }) => {
    if (pathname.endsWith('/run')) return { id: 5, status: 'queued', done: 0, total: 1 }
    if (pathname.endsWith('/question-runs/5')) {
      ran = true
      return { id: 5, status: 'done', done: 1, total: 1, answer: { asked: 1, broken: 0 } }
    }
    return [ran ? { ...saved, answer: { ...saved.answer, works: true }, since_then: '' } : saved]
  })
  visit(<SavedQuestionsPage />, '/n/net/flows/saved', { at: place('editor') })
  const folder = await screen.findByRole('region', { name: 'ticketing' })
  expect(within(folder).getByText('Since revision 2 these files changed: fw.yaml.')).toBeVisible()
  expect(within(folder).getByRole('link', { name: 'kiosk books' })).toHaveAttribute(
    'href',
    '/n/net/flows?revision=3&from=kiosk&to=db&as=tcp+5432',
  )
  await userEvent.click(screen.getByRole('button', { name: 'Run all again' }))
  expect(await screen.findByText(/One question; all arrive/)).toBeVisible()
  expect(asked).toContain('POST /api/networks/net/questions/run?revision=3')
  expect(screen.getByText('kiosk → fw: filtered')).toBeVisible()
  expect(screen.getByText('kiosk → fw → db')).toBeVisible()
  expect(screen.getByRole('link', { name: 'Both on one strip' })).toHaveAttribute(
    'href',
    '/n/net/flows?revision=3&from=kiosk&to=db&as=tcp+5432&base_revision=2',
  )
})

test('a viewer sees the questions and changes none', async () => {
  serve(() => [saved])
  visit(<SavedQuestionsPage />, '/n/net/flows/saved')
  expect(await screen.findByText('Blocked at fw.')).toBeVisible()
  expect(screen.queryByRole('button', { name: /run|drop/i })).toBeNull()
})
