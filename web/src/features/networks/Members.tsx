import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { api, data } from '../../api/client'
import { membersQuery } from '../../api/queries'
import { Button, Panel, Problem } from '../../ui/controls'
import { usePlace } from '../lens/lens'
import { Input, Select } from '../../ui/fields'

const ROLES = ['viewer', 'editor', 'owner'] as const
type Role = (typeof ROLES)[number]
const MEANS: Record<Role, string> = {
  viewer: 'sees everything',
  editor: 'imports too',
  owner: 'manages members and deletes too',
}

/** Who may do what; owners change it here. */
export function Members() {
  const { network } = usePlace()
  const queries = useQueryClient()
  const members = useQuery(membersQuery(network.slug))
  const [name, setName] = useState('')
  const [role, setRole] = useState<Role>('viewer')
  const set = useMutation({
    mutationFn: (member: { username: string; role: Role | null }) =>
      data(
        api.PUT('/api/networks/{slug}/members', { params: { path: { slug: network.slug } }, body: member }),
      ),
    onSuccess: (list) => {
      queries.setQueryData(membersQuery(network.slug).queryKey, list)
      setName('')
    },
  })
  const owner = network.role === 'owner'
  const add = (event: FormEvent) => {
    event.preventDefault()
    set.mutate({ username: name.trim(), role })
  }
  const roleSelect = (value: Role, change: (role: Role) => void, label: string) => (
    <Select
      aria-label={label}
      value={value}
      onChange={(event) => change(event.target.value as Role)}
      room="dense"
    >
      {ROLES.map((each) => (
        <option key={each}>{each}</option>
      ))}
    </Select>
  )
  return (
    <Panel title="Members">
      <ul className="divide-y divide-line">
        {members.data?.map((member) => (
          <li key={member.username} className="flex items-center gap-3 py-1.5">
            <span className="w-40 font-semibold">{member.username}</span>
            {owner && member.role ? (
              <>
                {roleSelect(
                  member.role as Role,
                  (next) => set.mutate({ username: member.username, role: next }),
                  `Role of ${member.username}`,
                )}
                <button
                  type="button"
                  className="text-stop hover:underline"
                  onClick={() => set.mutate({ username: member.username, role: null })}
                >
                  remove
                </button>
              </>
            ) : (
              <span>{member.role}</span>
            )}
            <span className="text-soft">{member.role && MEANS[member.role as Role]}</span>
          </li>
        ))}
      </ul>
      {owner && (
        <form onSubmit={add} className="mt-3 flex gap-3">
          <Input
            aria-label="Name of a user to add"
            placeholder="name of a user"
            value={name}
            onChange={(event) => setName(event.target.value)}
            room="dense"
            className="w-40"
          />
          {roleSelect(role, setRole, 'Role of the new member')}
          <Button type="submit" disabled={!name.trim() || set.isPending}>
            Add
          </Button>
        </form>
      )}
      {set.isError && (
        <div className="mt-3">
          <Problem error={set.error} />
        </div>
      )}
    </Panel>
  )
}
