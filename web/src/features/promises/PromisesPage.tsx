import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { storedPromisesQuery } from '../../api/queries'
import type { Promised, Promises } from '../../api/types'
import { useCancel } from '../../api/useCancel'
import { useAddress } from '../../ui/address'
import { Button, Panel, Problem, Waiting } from '../../ui/controls'
import { SearchInput, Select } from '../../ui/fields'
import { lensWords } from '../../wording'
import { usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { PromiseFiles } from './PromiseFiles'
import { PromiseForm } from './PromiseForm'
import { PromiseRow } from './PromiseRow'
import { Suggested } from './Suggested'
import { useCheck } from './useCheck'

const SHOWN = { all: 'all of them', broken: 'broken ones', kept: 'kept ones' } as const
type Shown = keyof typeof SHOWN

/** What must hold of the network, and whether it does in the lens. */
export function PromisesPage() {
  const { lens, network } = usePlace()
  const [failures, setFailures] = useState(false)
  const check = useCheck(failures)
  const [adding, setAdding] = useState(false)
  const [params, change] = useAddress()
  const suggesting = params.get('suggest') === 'yes'
  const editor = network.role !== 'viewer'
  return (
    <div className="flex flex-col gap-3">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <PageHead title="Promises" shown="text-lg font-semibold" />
        <span className="text-soft">what must hold, seen through {lensWords(lens)}</span>
        <span className="ml-auto flex gap-2">
          <PromiseFiles editor={editor} />
          {editor && !adding && (
            <Button tone="main" onClick={() => setAdding(true)}>
              New promise
            </Button>
          )}
          {!suggesting && (
            <Button onClick={() => change({ suggest: 'yes' }, { quiet: true })}>Suggest some</Button>
          )}
        </span>
      </div>
      {adding && <PromiseForm onEnd={() => setAdding(false)} />}
      {suggesting && <Suggested onEnd={() => change({ suggest: null }, { quiet: true })} />}
      {check.error && <Problem error={check.error} />}
      {check.going && <Checking check={check} />}
      {check.answer && (
        <Found found={check.answer} tryFailures={failures ? undefined : () => setFailures(true)} />
      )}
    </div>
  )
}

const STEPS: Record<string, string> = {
  computing: 'Computing the network',
  checking: 'Asking for every class of headers',
}

function Checking({ check }: { check: ReturnType<typeof useCheck> }) {
  const cancel = useCancel(check.id ?? 0)
  const { job } = check
  if (!job) return <Waiting what="Beginning to check" />
  const words =
    job.status === 'queued'
      ? 'Waiting for its turn'
      : job.step === 'failing'
        ? `Trying failures, ${job.done} of ${job.total}`
        : (STEPS[job.step] ?? 'Checking')
  return (
    <p role="status" className="flex items-center justify-between gap-3 p-2">
      <span>{words}…</span>
      <Button tone="stop" onClick={() => cancel.mutate()} disabled={cancel.isPending}>
        Cancel
      </Button>
    </p>
  )
}

function Found({ found, tryFailures }: { found: Promises; tryFailures?: () => void }) {
  const { lens } = usePlace()
  const stored = useQuery(storedPromisesQuery(lens.slug))
  const [params, change] = useAddress()
  const [text, setText] = useState('')
  const shown = (params.get('show') ?? 'all') as Shown
  const owner = params.get('owner') ?? ''
  const owners = [...new Set(found.promises.map((each) => each.owner).filter(Boolean))].sort()
  const set = (name: string, value: string) => change({ [name]: value }, { quiet: true })
  const promises = found.promises.filter(
    (each) =>
      (shown === 'all' || (shown === 'kept') === each.kept) &&
      (!owner || each.owner === owner) &&
      `${each.id} ${each.text} ${each.note}`.toLowerCase().includes(text.toLowerCase()),
  )
  const open = found.promises.filter((each) => each.open).length
  const folders = [...new Set([...promises].sort(brokenFirst).map((each) => each.folder))]
  if (found.promises.length === 0)
    return (
      <Panel title="Nothing is promised yet">
        <p>
          Write down what must work: <q>kiosks to booking-web as tcp 443 must be delivered</q>. It is checked
          after each import, in each change and under each failure. Promises may stand in the network’s files
          too, under <code>promises:</code>.
        </p>
      </Panel>
    )
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <p role="status" className={`font-semibold ${found.broken ? 'text-stop' : 'text-go'}`}>
          {found.summary}
        </p>
        {tryFailures && open > 0 && (
          <Button onClick={tryFailures}>Try what {open === 1 ? 'one' : open} must survive</Button>
        )}
        <span className="ml-auto flex items-center gap-2">
          <Select
            room="dense"
            aria-label="Which are shown"
            value={shown}
            onChange={({ target }) => set('show', target.value === 'all' ? '' : target.value)}
          >
            {Object.entries(SHOWN).map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </Select>
          {owners.length > 0 && (
            <Select
              room="dense"
              aria-label="Whose are shown"
              value={owner}
              onChange={({ target }) => set('owner', target.value)}
            >
              <option value="">of everybody</option>
              {owners.map((each) => (
                <option key={each} value={each}>
                  of {each}
                </option>
              ))}
            </Select>
          )}
          <SearchInput label="Filter promises" value={text} onChange={setText} className="w-36" />
        </span>
      </div>
      {promises.length === 0 && <p className="text-soft">None of {found.promises.length} is like that.</p>}
      {folders.map((folder) => (
        <Panel key={folder} title={folder || 'No folder'}>
          <ul className="divide-y divide-line">
            {promises
              .filter((each) => each.folder === folder)
              .sort(brokenFirst)
              .map((each) => (
                <PromiseRow
                  key={each.id}
                  promise={each}
                  stored={stored.data?.find((one) => one.name === each.id && !each.file)}
                />
              ))}
          </ul>
        </Panel>
      ))}
    </>
  )
}

const brokenFirst = (one: Promised, other: Promised) => Number(one.kept) - Number(other.kept)
