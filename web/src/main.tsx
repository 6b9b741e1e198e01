import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { retry, retryDelay, watching } from './api/away'
import { App } from './app'
import './styles.css'
import { AwayBanner } from './ui/AwayBanner'
import { applyTheme } from './ui/theme'

applyTheme()

const queries = new QueryClient({
  ...watching(),
  defaultOptions: {
    queries: {
      retry,
      retryDelay,
      refetchOnWindowFocus: false,
      // What the browser thinks of the network says nothing about this server.
      networkMode: 'always',
    },
    mutations: { networkMode: 'always' },
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
