import { useState } from 'react'
import { tablePage, type Lens, type TableQuestion } from '../../api/queries'
import type { TableRow, TitledRoute } from '../../api/types'
import { Button } from '../../ui/controls'
import { toCsv } from '../../ui/DataTable'
import { hopWords } from '../../wording'

/** Fetches what matches, however much it is, and copies it. */
export function CopyTable({ lens, question, count }: { lens: Lens; question: TableQuestion; count: number }) {
  const [busy, setBusy] = useState(false)
  const copy = async () => {
    setBusy(true)
    try {
      const rows: TableRow[] = []
      for (let offset = 0; offset < count; offset += 1000) {
        rows.push(...(await tablePage(lens, question, offset, 1000)).rows)
      }
      await navigator.clipboard.writeText(toCsv(csvColumns(question), rows))
    } finally {
      setBusy(false)
    }
  }
  return (
    <Button
      onClick={() => void copy()}
      disabled={busy}
      className="py-0.5 text-sm"
      title="Copy all rows that match as CSV"
    >
      {busy ? 'Copying…' : 'Copy as CSV'}
    </Button>
  )
}

function csvColumns({ device, other, before }: TableQuestion) {
  const side = (name: string, of: (row: TableRow) => TitledRoute | null) => [
    { title: `${name} protocol`, text: (row: TableRow) => of(row)?.title ?? '' },
    { title: `${name} distance`, text: (row: TableRow) => of(row)?.distance ?? '' },
    { title: `${name} metric`, text: (row: TableRow) => of(row)?.metric ?? '' },
    {
      title: `${name} next hops`,
      text: (row: TableRow) => {
        const route = of(row)
        return route ? hopWords(route) : ''
      },
    },
  ]
  return [
    { title: 'prefix', text: (row: TableRow) => row.prefix },
    ...side(device, (row) => row.left),
    ...(before || other ? side(other ?? `${device} before:`, (row) => row.right) : []),
  ]
}
