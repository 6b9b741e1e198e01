import { useMutation } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { api, data } from '../../api/client'
import type { Session } from '../../api/types'
import { Button, Problem } from '../../ui/controls'
import { TextField } from '../../ui/fields'

/** Name and password; what was typed stays if it fails. */
export function LoginForm({ name = '', onDone }: { name?: string; onDone: (session: Session) => void }) {
  const [username, setUsername] = useState(name)
  const [password, setPassword] = useState('')
  const login = useMutation({
    mutationFn: () => data(api.POST('/api/session', { body: { username, password } })),
    onSuccess: onDone,
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    login.mutate()
  }
  return (
    <form onSubmit={submit}>
      <TextField
        label="Name"
        value={username}
        onChange={setUsername}
        autoComplete="username"
        autoFocus={!name}
      />
      <TextField
        label="Password"
        type="password"
        value={password}
        onChange={setPassword}
        autoComplete="current-password"
        autoFocus={Boolean(name)}
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
        {login.isPending ? 'Logging in…' : 'Log in'}
      </Button>
    </form>
  )
}
