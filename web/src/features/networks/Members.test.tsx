import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import { place, serve, visit } from '../../testing'
import { Members } from './Members'

let members: { username: string; role: string | null }[]
let sent: unknown[]
let asked: string[]

beforeEach(() => {
  members = [
    { username: 'nora', role: 'owner' },
    { username: 'piet', role: 'viewer' },
  ]
  sent = []
  asked = serve(async (_, request) => {
    if (request.method !== 'PUT') return members
    const member = (await request.json()) as { username: string; role: string | null }
    sent.push(member)
    if (member.username === 'nora')
      return new Response(
        JSON.stringify({
          code: 'last_owner',
          message: 'nora is the last owner',
          suggestion: 'make somebody else an owner first',
          request: 'r1',
        }),
        { status: 400, headers: { 'content-type': 'application/json' } },
      )
    members = [...members.filter((each) => each.username !== member.username), member].filter(
      (each) => each.role,
    )
    return members
  })
})

test('a viewer sees who may do what, and changes nothing', async () => {
  visit(<Members />, '/n/net/import')
  expect(await screen.findByText('piet')).toBeVisible()
  expect(screen.getByText('manages members and deletes too')).toBeVisible()
  expect(screen.queryByRole('combobox')).toBeNull()
  expect(screen.queryByRole('button')).toBeNull()
})

test('an owner adds, changes and removes members; a refusal says what to do', async () => {
  visit(<Members />, '/n/net/import', { at: place('owner') })
  expect(await screen.findByText('piet')).toBeVisible()
  expect(screen.getByRole('button', { name: 'Add' })).toBeDisabled()
  await userEvent.type(screen.getByLabelText('Name of a user to add'), ' eda ')
  await userEvent.selectOptions(screen.getByLabelText('Role of the new member'), 'editor')
  await userEvent.click(screen.getByRole('button', { name: 'Add' }))
  expect(await screen.findByLabelText('Role of eda')).toHaveValue('editor')
  expect(screen.getByLabelText('Name of a user to add')).toHaveValue('')
  await userEvent.selectOptions(screen.getByLabelText('Role of piet'), 'owner')
  const row = screen.getByText('nora').closest('li') as HTMLElement
  await userEvent.click(within(row).getByRole('button', { name: 'remove' }))
  expect(await screen.findByText(/make somebody else an owner first/i)).toBeVisible()
  expect(screen.getByText('nora')).toBeVisible()
  expect(sent).toEqual([
    { username: 'eda', role: 'editor' },
    { username: 'piet', role: 'owner' },
    { username: 'nora', role: null },
  ])
  expect(asked.filter((one) => one.startsWith('PUT'))).toHaveLength(3)
})
