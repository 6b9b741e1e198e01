import { QueryClient, QueryClientProvider, useQuery } from '@tanstack/react-query'
import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { retry } from '../api/away'
import { networksQuery } from '../api/queries'
import { serve } from '../testing'
import { AwayBanner } from './AwayBanner'
import { Problem } from './controls'

const says = (status: number, code: string, message: string) =>
  new Response(JSON.stringify({ code, message, suggestion: '', request: 'a' }), {
    status,
    headers: { 'content-type': 'application/json' },
  })

function Page() {
  const networks = useQuery(networksQuery)
  if (networks.isError) return <Problem error={networks.error} />
  return <p>{networks.data ? 'all there' : 'waiting'}</p>
}

function open(answers: (() => unknown)[], retryDelay = 200) {
  let asked = 0
  serve(() => answers[Math.min(asked++, answers.length - 1)]?.())
  const queries = new QueryClient({ defaultOptions: { queries: { retry, retryDelay } } })
  render(
    <QueryClientProvider client={queries}>
      <Page />
      <AwayBanner />
    </QueryClientProvider>,
  )
}

test('a database that is away is told, and the page goes on by itself', async () => {
  const away = () => says(503, 'database_unavailable', 'the database does not answer')
  open([
    away,
    () => {
      throw new TypeError('Failed to fetch')
    },
    () => [],
  ])
  expect(await screen.findByText('The database does not answer.')).toBeVisible()
  expect(await screen.findByText('The server cannot be reached.')).toBeVisible()
  expect(await screen.findByText('all there')).toBeVisible()
  expect(screen.queryByRole('alert')).toBeNull()
})

test('one may ask at once instead of waiting for the next try', async () => {
  open(
    [
      () => {
        throw new TypeError('Failed to fetch')
      },
      () => [],
    ],
    60_000,
  )
  expect(await screen.findByText('The server cannot be reached.')).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: 'Ask now' }))
  expect(await screen.findByText('all there')).toBeVisible()
})

test('what would only fail again is told at once', async () => {
  open([() => says(503, 'takes_too_long', 'this takes longer than a question may')])
  expect(await screen.findByText('This takes longer than a question may.')).toBeVisible()
})
