import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import { DataTable, toCsv, type Column } from './DataTable'

type Row = { name: string; metric: number }
const COLUMNS: Column<Row>[] = [
  { title: 'name', text: (row) => row.name, width: '1fr' },
  { title: 'metric', text: (row) => row.metric, width: '1fr' },
]

test('CSV quotes what needs it and lets no cell become a formula', () => {
  const rows = [
    { name: 'a,"b"', metric: -1 },
    { name: '=1+1', metric: 2 },
  ]
  expect(toCsv(COLUMNS, rows)).toBe('name,metric\r\n"a,""b""",-1\r\n\'=1+1,2')
})

test('filtering counts what is left, and says when nothing is', async () => {
  render(
    <DataTable
      rows={[
        { name: 'r1', metric: 10 },
        { name: 'r2', metric: 20 },
      ]}
      columns={COLUMNS}
      what="routes"
      empty="none"
    />,
  )
  expect(screen.getByRole('status')).toHaveTextContent('2 routes')
  await userEvent.type(screen.getByLabelText('Filter routes'), 'r2')
  expect(screen.getByRole('status')).toHaveTextContent('1 of 2 routes')
  await userEvent.type(screen.getByLabelText('Filter routes'), 'x')
  expect(screen.getByText('No row matches the filter.')).toBeVisible()
})
