import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { drawAllRows, serve, visit } from '../testing'
import { DataTable, toCsv, type Column } from './DataTable'

type Row = { name: string; metric: number }
const COLUMNS: Column<Row>[] = [
  { title: 'name', text: (row) => row.name, width: '1fr' },
  { title: 'metric', text: (row) => row.metric, width: '1fr' },
]

function open(path: string) {
  serve(() => [])
  drawAllRows()
  const rows = [
    { name: 'mid-10', metric: 10 },
    { name: 'mid-2', metric: 20 },
    { name: 'end-1', metric: 3 },
  ]
  visit(<DataTable rows={rows} columns={COLUMNS} what="routes" empty="none" />, path)
}

test('CSV quotes what needs it and lets no cell become a formula', () => {
  const rows = [
    { name: 'a,"b"', metric: -1 },
    { name: '=1+1', metric: 2 },
  ]
  expect(toCsv(COLUMNS, rows)).toBe('name,metric\r\n"a,""b""",-1\r\n\'=1+1,2')
})

test('filtering counts what is left, and says when nothing is', async () => {
  open('/')
  expect(screen.getByRole('status')).toHaveTextContent('3 routes')
  await userEvent.type(screen.getByLabelText('Filter routes'), 'mid-2')
  expect(screen.getByRole('status')).toHaveTextContent('1 of 3 routes')
  await waitFor(() => expect(screen.getByLabelText('address')).toHaveTextContent('/?filter=mid-2'))
  await userEvent.type(screen.getByLabelText('Filter routes'), 'x')
  expect(await screen.findByText('No row matches the filter.')).toBeVisible()
})

test('names are sorted as people sort them, and the address keeps how', async () => {
  open('/?filter=mid')
  const first = () => screen.getAllByRole('cell')[0]
  await userEvent.click(await screen.findByRole('button', { name: 'name' }))
  expect(first()).toHaveTextContent('mid-2')
  expect(screen.getByLabelText('address')).toHaveTextContent('/?filter=mid&sort=name')
  await userEvent.click(screen.getByRole('button', { name: 'name ↑' }))
  expect(first()).toHaveTextContent('mid-10')
  expect(screen.getByLabelText('address')).toHaveTextContent('/?filter=mid&sort=-name')
})
