import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { api, data } from '../../api/client'
import { sessionQuery } from '../../api/queries'
import { Button, Problem } from '../../ui/controls'
import { PageHead } from '../lens/PageHead'
import { TextField } from '../../ui/fields'

export function LoginPage() {
  const [username, setUsername] = useState('')
  const [password, setPassword] = useState('')
  const [params] = useSearchParams()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const login = useMutation({
    mutationFn: () => data(api.POST('/api/session', { body: { username, password } })),
    onSuccess: (session) => {
      queries.clear()
      queries.setQueryData(sessionQuery.queryKey, session)
      const next = params.get('next')
      // Only addresses of this site: “//other” would lead elsewhere.
      void navigate(next?.startsWith('/') && !next.startsWith('//') ? next : '/')
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    login.mutate()
  }
  return (
    <main className="grid min-h-full place-items-center bg-sea p-6">
      <form onSubmit={submit} className="w-full max-w-sm rounded-card bg-card p-6 text-ink shadow-xl">
        <PageHead title="Log in" shown="sr-only" />
        <p className="text-2xl font-bold">Routrel</p>
        <p className="mt-1 mb-5 text-soft">Which way traffic goes, and the line that stops it.</p>
        <TextField label="Name" value={username} onChange={setUsername} autoComplete="username" autoFocus />
        <TextField
          label="Password"
          type="password"
          value={password}
          onChange={setPassword}
          autoComplete="current-password"
        />
        {login.isError && (
          <div className="mb-3">
            <Problem error={login.error} />
          </div>
        )}
        <Button
          tone="main"
          type="submit"
          disabled={login.isPending || !username || !password}
          className="w-full"
        >
          Log in
        </Button>
      </form>
    </main>
  )
}
