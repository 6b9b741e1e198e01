import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { chartQuery, deviceQuery, tableQuery, type Base, type TableQuestion } from '../../api/queries'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { sortedByName } from '../../ui/natural'
import { SearchInput, Select } from '../../ui/fields'
import { usePlace } from '../lens/lens'
import { useAddress, useTyped } from '../../ui/address'
import { CopyTable } from './CopyTable'
import { TableRows } from './TableRows'
import { lensWords } from '../../wording'

/** What stands for the device itself in the second lens, where a device is chosen. */
const BEFORE = ' before'

/**
 * One device's whole table; beside it another's, or its own in the second lens. The server filters; rows
 * come as they are scrolled to.
 */
export function RouteTable({ device }: { device: string }) {
  const { lens, pinned } = usePlace()
  const [params, change] = useAddress()
  const [filter, setFilter, settled] = useTyped('filter')
  const contains = settled.trim()
  const before = params.get('before') === '1' ? pinned : undefined
  const other = before ? undefined : (params.get('other') ?? undefined)
  const vrf = params.get('vrf') ?? 'default'
  const isTwo = before !== undefined || other !== undefined
  const differing = isTwo && params.get('differing') === '1'
  const question: TableQuestion = {
    device,
    vrf,
    other,
    before,
    contains: contains || undefined,
    differing: differing || undefined,
  }
  const first = useQuery({ ...tableQuery(lens, question, 0), placeholderData: keepPreviousData })
  const chart = useQuery(chartQuery(lens))
  const own = useQuery(deviceQuery(lens, device))
  const vrfs = [...new Set(['default', ...(own.data?.interfaces.map((port) => port.vrf) ?? [])])]
  if (first.isError) return <Problem error={first.error} />
  if (first.isPending) return <Waiting what={`Reading the table of ${device}`} />
  const { total, matching } = first.data
  return (
    <Panel title={tablesTitle(device, other, before)} className="flex min-h-0 flex-1 flex-col">
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <SearchInput
          label="Filter routes"
          placeholder="prefix, protocol, next hop"
          value={filter}
          onChange={setFilter}
          className="w-56"
        />
        <span className="text-soft" role="status">
          {first.isPlaceholderData || contains !== filter.trim()
            ? 'Filtering…'
            : matching === total
              ? `${total} prefixes`
              : `${matching} of ${total} prefixes`}
        </span>
        {vrfs.length > 1 && (
          <label className="flex items-center gap-2 text-soft">
            VRF
            <Select
              value={vrf}
              onChange={(event) =>
                change({ vrf: event.target.value === 'default' ? null : event.target.value })
              }
              room="dense"
            >
              {vrfs.map((each) => (
                <option key={each}>{each}</option>
              ))}
            </Select>
          </label>
        )}
        <label className="flex items-center gap-2 text-soft">
          compare with
          <Select
            aria-label="compare with"
            value={before ? BEFORE : (other ?? '')}
            onChange={({ target }) =>
              target.value === BEFORE
                ? change({ other: null, before: '1', differing: '1' })
                : change({ other: target.value || null, before: null, differing: null })
            }
            room="dense"
          >
            <option value="">no other</option>
            {pinned && <option value={BEFORE}>itself in {lensWords(pinned)}</option>}
            {sortedByName(chart.data?.devices ?? [], (each) => each.name)
              .filter((each) => each.name !== device)
              .map((each) => (
                <option key={each.name}>{each.name}</option>
              ))}
          </Select>
        </label>
        {isTwo && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={differing}
              onChange={(event) => change({ differing: event.target.checked ? '1' : null })}
            />{' '}
            only what differs
          </label>
        )}
        <div className="flex-1" />
        <CopyTable lens={lens} question={question} count={matching} />
      </div>
      <TableRows key={JSON.stringify(question)} lens={lens} question={question} count={matching} />
    </Panel>
  )
}

/** What is shown, in words. */
export function tablesTitle(device: string, other?: string | null, before?: Base): string {
  if (before) return `Table of ${device}, now and in ${lensWords(before)}`
  return other ? `Tables of ${device} and ${other}` : `Table of ${device}`
}
