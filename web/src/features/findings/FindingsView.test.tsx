import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import type { FindingNotes } from '../../api/types'
import { place, serve, visit } from '../../testing'
import { causesOf, countCauses } from './causes'
import { aFinding } from './findings.testing'
import { FindingsView } from './FindingsView'
import { sinceWords } from '../../wording'

const MASK = { group: 'm1', cause: { file: 'c.yaml', line: 9, column: 3 }, suggestion: 'give both the same' }
const FINDINGS = [
  aFinding('old error', { devices: ['x'] }),
  aFinding('c is /16, but a is /24', { ...MASK, key: 'm1', devices: ['a', 'c'], file: 'a.yaml' }),
  aFinding('c is /16, but b is /24', { ...MASK, key: 'm2', devices: ['b', 'c'], file: 'b.yaml' }),
  aFinding('new note', { severity: 'note' }),
]
const SINCE = { 'old error': 1, m1: 3, m2: 3, 'new note': 3 }

let muted: FindingNotes['muted'] = []
let sent: unknown[] = []

beforeEach(() => {
  muted = []
  sent = []
  serve(({ pathname }, request) => {
    if (request.method === 'PUT') {
      muted = [{ key: 'm1', reason: 'being moved', author: 'olaf', created: '2026-11-28T10:00:00Z' }]
      sent.push(pathname)
      return muted[0]
    }
    if (pathname.endsWith('/findings/notes')) return { muted, since: SINCE, known_from: 1 }
    if (pathname.endsWith('/findings')) return FINDINGS
    throw new Error(pathname)
  })
})

test('causes are one row each, the newest first, of one age the worst; muted last', () => {
  const notes = { muted: [], since: SINCE, known_from: 1 }
  const causes = causesOf(FINDINGS, notes)
  expect(causes.map((cause) => [cause.key, cause.findings.length, sinceWords(cause, 3)])).toEqual([
    ['m1', 2, 'new in 3'],
    ['new note', 1, 'new in 3'],
    ['old error', 1, 'revision 1'],
  ])
  expect(countCauses(causes)).toEqual({ errors: 2, warnings: 0 })
  const later = causesOf(FINDINGS, { ...notes, known_from: 3 })
  expect(later.map((cause) => sinceWords(cause, 3))).toContain('revision 3 or before')
  const hushed = { key: 'm1', reason: '', author: null, created: '' }
  expect(causesOf(FINDINGS, { ...notes, muted: [hushed] }).at(-1)?.key).toBe('m1')
})

test('a cause opens with all its findings and is muted for a reason', async () => {
  visit(<FindingsView />, '/n/net/devices/findings?finding=m1', { at: place('editor') })
  const sheet = await screen.findByRole('region', { name: '2 findings of one cause' })
  expect(
    within(sheet)
      .getAllByRole('listitem')
      .map((item) => item.textContent),
  ).toEqual(['c is /16, but a is /24 a.yaml:1 edit there', 'c is /16, but b is /24 b.yaml:1 edit there'])
  expect(within(sheet).getByRole('link', { name: 'c.yaml:9' })).toBeVisible()
  const mute = within(sheet).getByRole('button', { name: 'Mute in all revisions' })
  expect(mute).toBeDisabled()
  await userEvent.type(within(sheet).getByLabelText('Mute it, because'), 'being moved')
  await userEvent.click(mute)
  expect(await within(sheet).findByText('Muted by olaf: being moved')).toBeVisible()
  expect(sent).toEqual(['/api/networks/net/findings/muted/m1'])
  expect(await screen.findByRole('button', { name: '1 muted, show it' })).toBeVisible()
})
