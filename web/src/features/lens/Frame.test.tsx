import { screen } from '@testing-library/react'
import { Route, Routes } from 'react-router'
import { beforeEach, expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { NetworkFrame } from './Frame'
import { useLinkTo } from './lens'

const revision = (number: number) => ({
  number,
  created: '2026-01-01T12:00:00Z',
  author: 'nora',
  note: '',
  content_hash: '',
  files: 1,
})

let revisionsFail = false

beforeEach(() => {
  revisionsFail = false
  serve(({ pathname }) => {
    if (pathname.endsWith('/revisions') && revisionsFail)
      return Response.json({ code: 'takes_too_long', message: 'this takes too long' }, { status: 503 })
    if (pathname.endsWith('/revisions')) return [revision(3), revision(1)]
    if (pathname.includes('/findings')) return []
    return { ...place().network, title: 'Net' }
  })
})

function Page() {
  return <p>a link to {useLinkTo()('routes', { q: 'x' })}</p>
}

function open(address: string) {
  const routes = (
    <Routes>
      <Route path="/n/:slug" element={<NetworkFrame username="nora" />}>
        <Route path="*" element={<Page />} />
      </Route>
    </Routes>
  )
  visit(routes, address)
}

test('the newest revision is named in the address once, and links go on naming it', async () => {
  open('/n/net/flows?from=a')
  expect(await screen.findByText('a link to /n/net/routes?revision=3&q=x')).toBeVisible()
  expect(screen.getByLabelText('address')).toHaveTextContent('/n/net/flows?from=a&revision=3')
})

test('an older revision is told of the newer one', async () => {
  open('/n/net/flows?revision=1')
  expect(await screen.findByText('a link to /n/net/routes?revision=1&q=x')).toBeVisible()
  expect(screen.getByRole('button', { name: 'revision 3 is newer' })).toBeVisible()
})

test.each(['999', '2', '0', 'newest', '3.5'])(
  'there is no revision %s, which is said in words',
  async (text) => {
    open(`/n/net/flows?from=a&revision=${text}`)
    expect(await screen.findByRole('alert')).toHaveTextContent(
      `Net has no revision “${text}”. It has 2, from 1 to 3. One that is missing between them was deleted.`,
    )
    expect(screen.getByRole('button', { name: 'The same page in revision 3' })).toBeVisible()
    expect(document.title).toBe('No such revision · Net · Routrel')
  },
)

test('where it cannot be told which revisions there are, that is said instead of waiting', async () => {
  revisionsFail = true
  open('/n/net/flows?revision=1')
  expect(await screen.findByText('This takes too long.')).toBeVisible()
})
