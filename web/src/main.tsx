import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { retry, retryDelay } from './api/away'
import { ApiError } from './api/client'
import { sessionQuery } from './api/queries'
import { App } from './app'
import './styles.css'
import { AwayBanner } from './ui/AwayBanner'
import { applyTheme } from './ui/theme'

applyTheme()

/** A session that ended elsewhere shows the login page again, which leads back here. */
function onError(error: unknown) {
  if (error instanceof ApiError && error.status === 403 && error.code === 'not_authenticated') {
    queries.setQueryData(sessionQuery.queryKey, { username: null })
  }
}

const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: {
    queries: {
      retry,
      retryDelay,
      refetchOnWindowFocus: false,
    },
  },
})

const root = document.getElementById('root')
if (!root) throw new Error('index.html has no #root')
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <App />
        <AwayBanner />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
