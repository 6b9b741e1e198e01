import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { DraftsPage } from './DraftsPage'

const DRAFT = {
  id: 5,
  created: '2026-03-01T10:00:00Z',
  author: 'nora',
  revision: 2,
  text: 'weight ≥ 1 on import from isle',
  purpose: 'traffic goes by isle',
  changes: [{}],
  edits: [
    {
      file: 'devices/r1.yaml',
      line: 7,
      before: '    - {name: all}',
      after: '    - name: all\n      set: {weight: 1}',
    },
  ],
}

test('a draft shows its purpose, who kept it, and the lines as they stand inside one another', async () => {
  serve(() => [DRAFT])
  visit(<DraftsPage />, '/n/net/routes/drafts')
  expect(await screen.findByText(DRAFT.text)).toBeVisible()
  expect(screen.getByText('so that traffic goes by isle')).toBeVisible()
  expect(screen.getByText(/nora, on revision 2/)).toBeVisible()
  expect(screen.getByText('− - {name: all}')).toBeVisible()
  // Block lines keep their depth, so that they can be read as they will stand.
  expect(screen.getByText((text) => text === '+ - name: all')).toBeVisible()
  expect(screen.getByText((_, element) => element?.textContent === '+   set: {weight: 1}')).toBeVisible()
  expect(screen.getByRole('link', { name: 'r1.yaml:7' })).toBeVisible()
  expect(screen.queryByRole('button', { name: /Drop/ })).toBeNull() // a viewer only reads
})

test('an editor drops a draft; a refusal is told beside it', async () => {
  let drafts = [DRAFT]
  const asked = serve((_, request) => {
    if (request.method === 'POST') {
      drafts = [DRAFT]
      return DRAFT
    }
    if (request.method !== 'DELETE') return drafts
    if (asked.filter((one) => one.startsWith('DELETE')).length === 1)
      return Response.json(
        {
          code: 'forbidden',
          message: 'this takes an editor',
          suggestion: '',
          request: 'x',
        },
        { status: 403 },
      )
    drafts = []
    return new Response(null, { status: 204 })
  })
  visit(<DraftsPage />, '/n/net/routes/drafts', { at: place('editor') })
  const drop = await screen.findByRole('button', { name: `Drop the draft ${DRAFT.text}` })
  await userEvent.click(drop)
  expect(await screen.findByText(/This takes an editor/)).toBeVisible()
  expect(screen.getByText(DRAFT.text)).toBeVisible()
  await userEvent.click(drop)
  expect(await screen.findByText(`Dropped: ${DRAFT.text}`)).toBeVisible()
  expect(asked).toContain('DELETE /api/networks/net/drafts/5')
  await userEvent.click(screen.getByRole('button', { name: 'Take it back' }))
  expect(await screen.findByRole('button', { name: `Drop the draft ${DRAFT.text}` })).toBeVisible()
  expect(asked).toContain('POST /api/networks/net/drafts/5/back')
})
