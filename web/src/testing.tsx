import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { render } from '@testing-library/react'
import type { ReactNode } from 'react'
import { MemoryRouter, Route, Routes, useLocation } from 'react-router'
import { vi } from 'vitest'
import { PlaceContext, type Place } from './features/lens/lens'

/** A network seen through revision 3 by a reader with this role. */
export const place = (role: 'viewer' | 'editor' | 'owner' = 'viewer'): Place => ({
  lens: { slug: 'net', revision: 3 },
  network: {
    slug: 'net',
    title: 'Net',
    role,
    newest_revision: {
      number: 3,
      created: '2026-01-01T00:00:00Z',
      author: null,
      name: '',
      note: '',
      change: null,
      content_hash: '',
      files: 1,
    },
  },
})

/** Answers requests by the end of their path; remembers what was asked. */
export function serve(answer: (url: URL, request: Request) => unknown): string[] {
  const asked: string[] = []
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
      disconnect() {}
      unobserve() {}
    },
  )
  vi.stubGlobal('fetch', async (request: Request) => {
    const url = new URL(request.url)
    asked.push(`${request.method} ${url.pathname}${url.search}`)
    // Every text asks for the names of its addresses; few tests are about them.
    const body = url.pathname.endsWith('/names') ? [] : await answer(url, request)
    return body instanceof Response
      ? body
      : new Response(JSON.stringify(body), { headers: { 'content-type': 'application/json' } })
  })
  return asked
}

/** Gives elements a size, so that tables draw their rows though nothing is laid out here. */
export function drawAllRows() {
  vi.spyOn(Element.prototype, 'clientHeight', 'get').mockReturnValue(2000)
  vi.spyOn(Element.prototype, 'clientWidth', 'get').mockReturnValue(1000)
}

function Address() {
  const { pathname, search } = useLocation()
  return <p aria-label="address">{pathname + search}</p>
}

/** Shows a page at an address, inside a network. */
export function visit(
  page: ReactNode,
  path: string,
  { pattern = '*', at = place() }: { pattern?: string; at?: Place } = {},
) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  return render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[path]}>
        <PlaceContext value={at}>
          <Routes>
            <Route path={pattern} element={page} />
            <Route path="*" element={<p>elsewhere</p>} />
          </Routes>
          <Address />
        </PlaceContext>
      </MemoryRouter>
    </QueryClientProvider>,
  )
}
