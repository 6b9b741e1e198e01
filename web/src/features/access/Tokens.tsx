import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { api, data } from '../../api/client'
import { tokensQuery } from '../../api/queries'
import type { Token } from '../../api/types'
import { Confirm } from '../../ui/Confirm'
import { Button, Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { Input, Select } from '../../ui/fields'
import { moment } from '../../ui/time'

const SCOPES: Record<Token['scope'], string> = {
  read: 'read: ask, check promises, sweep',
  import: 'import: and import files',
  change: 'change: all that editors may',
}

/** Your tokens for this network: what programs show instead of a password. */
export function Tokens({ slug }: { slug: string }) {
  const tokens = useQuery(tokensQuery)
  const queries = useQueryClient()
  const [name, setName] = useState('')
  const [scope, setScope] = useState<Token['scope']>('import')
  const [days, setDays] = useState(90)
  const make = useMutation({
    mutationFn: () => data(api.POST('/api/tokens', { body: { name, scope, days, networks: [slug] } })),
    onSuccess: () => {
      setName('')
      void queries.invalidateQueries({ queryKey: tokensQuery.queryKey })
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    make.mutate()
  }
  const mine = (tokens.data ?? []).filter((each) => each.networks.includes(slug))
  return (
    <Panel title="Your tokens">
      <p className="text-soft">
        A program shows a token as <Mono>Authorization: Bearer TOKEN</Mono>. It does what you may do here,
        within its scope, and never what takes an owner.
      </p>
      <form onSubmit={submit} className="my-2 flex flex-wrap items-end gap-3">
        <label className="flex flex-col gap-1">
          Name
          <Input required maxLength={80} value={name} onChange={({ target }) => setName(target.value)} />
        </label>
        <label className="flex flex-col gap-1">
          It may
          <Select value={scope} onChange={({ target }) => setScope(target.value as Token['scope'])}>
            {Object.entries(SCOPES).map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </Select>
        </label>
        <label className="flex flex-col gap-1">
          For so many days
          <Input
            type="number"
            required
            min={1}
            max={366}
            className="w-24"
            value={days}
            onChange={({ target }) => setDays(Number(target.value))}
          />
        </label>
        <Button type="submit" tone="main" disabled={make.isPending}>
          Make a token
        </Button>
      </form>
      {make.isError && <Problem error={make.error} />}
      {make.data && (
        <p role="status" className="my-2 rounded-card border border-go bg-paper p-2">
          Copy it now; it is not shown again: <Mono className="select-all">{make.data.secret}</Mono>
        </p>
      )}
      {tokens.isError ? (
        <Problem error={tokens.error} />
      ) : tokens.isPending ? (
        <Waiting what="Reading the tokens" />
      ) : mine.length === 0 ? (
        <p>There is none for this network.</p>
      ) : (
        <ul className="divide-y divide-line">
          {mine.map((token) => (
            <Row key={token.id} token={token} />
          ))}
        </ul>
      )}
    </Panel>
  )
}

function Row({ token }: { token: Token }) {
  const queries = useQueryClient()
  const revoke = useMutation({
    mutationFn: () => data(api.DELETE('/api/tokens/{id}', { params: { path: { id: token.id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: tokensQuery.queryKey }),
  })
  const [now] = useState(Date.now)
  const isOver = token.revoked !== null || Date.parse(token.expires) < now
  return (
    <li className="flex items-baseline justify-between gap-3 py-1.5">
      <span className={isOver ? 'text-soft' : ''}>
        <strong>{token.name}</strong>, to {token.scope};{' '}
        {token.revoked
          ? `revoked ${moment(token.revoked)}`
          : `${isOver ? 'expired' : 'expires'} ${moment(token.expires)}`}
        ; {token.last_used ? `last used ${moment(token.last_used)} from ${token.last_address}` : 'never used'}
      </span>
      {!isOver && (
        <Confirm
          label="revoke"
          name={`Revoke ${token.name}`}
          title="Revoke this token?"
          text={`Whatever shows “${token.name}” is refused from now on.`}
          action="Revoke it"
          onConfirm={revoke.mutateAsync}
        />
      )}
    </li>
  )
}
