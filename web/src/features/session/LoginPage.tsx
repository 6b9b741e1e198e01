import { useQueryClient } from '@tanstack/react-query'
import { useNavigate, useSearchParams } from 'react-router'
import { setEnding, useEnding } from '../../api/ending'
import { sessionQuery } from '../../api/queries'
import { PageHead } from '../lens/PageHead'
import { LoginForm } from './LoginForm'

/** Who are you? With the reason why that is asked, where it is not the first time. */
export function LoginPage() {
  const [params] = useSearchParams()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const ending = useEnding()
  const next = params.get('next')
  // Only addresses of this site: “//other” would lead elsewhere.
  const goal = next?.startsWith('/') && !next.startsWith('//') ? next : '/'
  const why =
    ending === 'left'
      ? 'You are logged out.'
      : goal === '/'
        ? null
        : 'Log in to see the page that you asked for. If you were logged in before, that has ended.'
  return (
    <main className="grid min-h-full place-items-center bg-sea p-6">
      <div className="w-full max-w-sm rounded-card bg-card p-6 text-ink shadow-xl">
        <PageHead title="Log in" />
        <p className="text-2xl font-semibold">Routrel</p>
        <p className="mt-1 mb-5 text-soft">Which way traffic goes, and the line that stops it.</p>
        {why && (
          <p role="status" className="mb-4 rounded-md bg-sunk px-3 py-2">
            {why}
          </p>
        )}
        <LoginForm
          onDone={(session) => {
            queries.clear()
            setEnding('none')
            queries.setQueryData(sessionQuery.queryKey, session)
            void navigate(goal)
          }}
        />
      </div>
    </main>
  )
}
