import {
  flexRender,
  functionalUpdate,
  getCoreRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  useReactTable,
  type ColumnDef,
  type SortingState,
} from '@tanstack/react-table'
import { useMemo, type ReactNode } from 'react'
import { useAddress, useTyped } from './address'
import { Button } from './controls'
import { SearchInput } from './fields'
import { byName } from './natural'
import { Cell, useVirtualRows, VirtualRows } from './VirtualRows'

/** A column: how to read a row as text (sorted, filtered, copied), and how to show it. */
export type Column<Row> = {
  title: string
  text: (row: Row) => string | number
  show?: (row: Row) => ReactNode
  width: string
}

type DataTableProps<Row> = {
  rows: Row[]
  columns: Column<Row>[]
  empty: string
  what: string
  height?: string
}

/** A table that sorts, filters, copies as CSV, and stays fluid with very many rows; the address keeps how. */
export function DataTable<Row>({ rows, columns, empty, what, height = '100%' }: DataTableProps<Row>) {
  const [params, change] = useAddress()
  const [filter, setFilter] = useTyped('filter')
  const sort = params.get('sort')
  const sorting = useMemo(() => sortingIn(sort), [sort])
  // New definitions make the table sort and filter anew, which scrolling must not.
  const definitions = useMemo(
    () =>
      columns.map((column): ColumnDef<Row> => ({
        id: column.title,
        header: column.title,
        accessorFn: column.text,
        cell: ({ row }) => (column.show ? column.show(row.original) : column.text(row.original)),
        sortingFn: (a, b, id) => inOrder(a.getValue(id), b.getValue(id)),
      })),
    [columns],
  )
  const table = useReactTable({
    data: rows,
    columns: definitions,
    state: { sorting, globalFilter: filter },
    onSortingChange: (next) => change({ sort: sortText(functionalUpdate(next, sorting)) }, { quiet: true }),
    globalFilterFn: 'includesString',
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
  })
  const shown = table.getRowModel().rows
  const drawn = useVirtualRows(shown.length, 34)
  const copy = () =>
    void navigator.clipboard.writeText(
      toCsv(
        columns,
        shown.map((row) => row.original),
      ),
    )
  return (
    <div className="flex min-h-0 flex-col" style={{ height }}>
      <div className="mb-2 flex items-center gap-3">
        <SearchInput label={`Filter ${what}`} value={filter} onChange={setFilter} className="w-56" />
        <span className="text-soft" role="status">
          {shown.length === rows.length
            ? `${rows.length} ${rows.length === 1 ? what.replace(/s\b/, '') : what}`
            : `${shown.length} of ${rows.length} ${what}`}
        </span>
        <div className="flex-1" />
        <Button onClick={copy} className="py-0.5 text-sm" title="Copy the rows shown as CSV">
          Copy as CSV
        </Button>
      </div>
      <VirtualRows
        rows={drawn}
        what={what}
        widths={columns.map((column) => column.width).join(' ')}
        empty={rows.length === 0 ? empty : 'No row matches the filter.'}
        header={table.getFlatHeaders().map((header) => {
          const order = header.column.getIsSorted()
          return (
            <div
              key={header.id}
              role="columnheader"
              aria-sort={order === 'asc' ? 'ascending' : order === 'desc' ? 'descending' : 'none'}
            >
              <button
                type="button"
                onClick={header.column.getToggleSortingHandler()}
                className="w-full px-2 py-1 text-left text-sm font-semibold text-soft hover:text-ink"
              >
                {flexRender(header.column.columnDef.header, header.getContext())}
                {order === 'asc' ? ' ↑' : order === 'desc' ? ' ↓' : ''}
              </button>
            </div>
          )
        })}
      >
        {(index) =>
          shown[index]?.getVisibleCells().map((cell) => (
            <Cell key={cell.id} wide>
              {flexRender(cell.column.columnDef.cell, cell.getContext())}
            </Cell>
          ))
        }
      </VirtualRows>
    </div>
  )
}

function inOrder(a: unknown, b: unknown): number {
  return typeof a === 'number' && typeof b === 'number' ? a - b : byName(String(a), String(b))
}

/** The column an address sorts by, as `sort=findings` or, the other way round, `sort=-findings`. */
function sortingIn(text: string | null): SortingState {
  return text ? [{ id: text.replace(/^-/, ''), desc: text.startsWith('-') }] : []
}

function sortText([first]: SortingState): string | null {
  return first ? `${first.desc ? '-' : ''}${first.id}` : null
}

/** Rows as CSV (RFC 4180). A leading = + - @ is quoted away, or a spreadsheet would compute it. */
export function toCsv<Row>(columns: Pick<Column<Row>, 'title' | 'text'>[], rows: Row[]): string {
  const field = (value: string | number) => {
    const text = /^[=+@-]/.test(String(value)) && typeof value === 'string' ? `'${value}` : String(value)
    return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text
  }
  const lines = [
    columns.map((column) => field(column.title)),
    ...rows.map((row) => columns.map((column) => field(column.text(row)))),
  ]
  return lines.map((line) => line.join(',')).join('\r\n')
}
