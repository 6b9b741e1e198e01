import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { render, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { MemoryRouter } from 'react-router'
import { beforeEach, expect, test } from 'vitest'
import { watching } from './api/away'
import { setEnding } from './api/ending'
import { App } from './app'
import { serve } from './testing'

let loggedIn = true
let reachable = true
const refusal = (status: number, code: string, message: string) =>
  new Response(JSON.stringify({ code, message, suggestion: '', request: 'r' }), {
    status,
    headers: { 'content-type': 'application/json' },
  })

beforeEach(() => {
  loggedIn = reachable = true
  setEnding('none')
})

/** The application at an address, before a server that knows one user. */
function open(address: string) {
  const asked = serve(async ({ pathname }, request) => {
    if (!reachable) throw new TypeError('Failed to fetch')
    if (pathname === '/api/session') {
      if (request.method === 'DELETE') loggedIn = false
      if (request.method === 'POST') {
        const { password } = (await request.json()) as { password: string }
        if (password !== 'right') return refusal(403, 'authentication_failed', 'name or password is wrong')
        loggedIn = true
      }
      return { username: loggedIn ? 'nora' : null }
    }
    if (!loggedIn) return refusal(403, 'not_authenticated', 'you are not logged in')
    if (request.method === 'POST') return { slug: 'harbour', title: 'Harbour' }
    return []
  })
  const queries = new QueryClient({ ...watching(), defaultOptions: { queries: { retry: false } } })
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[address]}>
        <App />
      </MemoryRouter>
    </QueryClientProvider>,
  )
  return asked
}

test('a session that ended is logged in over the page, and what was typed stays', async () => {
  open('/')
  await userEvent.type(await screen.findByLabelText('Name'), 'Harbour')
  loggedIn = false
  await userEvent.click(screen.getByRole('button', { name: 'Begin, then import files' }))
  expect(await screen.findByRole('dialog', { name: 'Your session has ended' })).toBeVisible()
  await userEvent.type(screen.getByLabelText('Password'), 'wrong{Enter}')
  expect(await screen.findByText(/Name or password is wrong/)).toBeVisible()
  expect(screen.getByLabelText('Password')).toHaveValue('wrong')
  await userEvent.clear(screen.getByLabelText('Password'))
  await userEvent.type(screen.getByLabelText('Password'), 'right{Enter}')
  await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
  expect(screen.getByLabelText('Name')).toHaveValue('Harbour')
})

test('logging out says so on the login page; where it cannot, one is told', async () => {
  open('/')
  const out = await screen.findByRole('button', { name: 'Log out' })
  reachable = false
  await userEvent.click(out)
  expect(await screen.findByRole('alert')).toHaveTextContent(
    'The server cannot be reached. You are still logged in. Try again in a moment.',
  )
  reachable = true
  await userEvent.click(out)
  expect(await screen.findByText('You are logged out.')).toBeVisible()
})

test('the login page says why one is there', async () => {
  loggedIn = false
  open('/n/net/flows?from=a')
  expect(await screen.findByText(/Log in to see the page that you asked for/)).toBeVisible()
  expect(document.title).toBe('Log in · Routrel')
})
