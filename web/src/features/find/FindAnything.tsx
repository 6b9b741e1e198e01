import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
} from '@headlessui/react'
import { useEffect, useState } from 'react'
import { useNavigate } from 'react-router'
import type { Found } from '../../api/types'
import { useFileLink, useLinkTo } from '../lens/lens'
import { Problem, sentence } from '../../ui/controls'
import { useFound } from './useFound'
import { fieldStyle } from '../../ui/fields'

/** What follows a `g`, and where it leads. */
const PLACES: Record<string, { name: string; page: string }> = {
  f: { name: 'Flows', page: 'flows' },
  r: { name: 'Routes', page: 'routes' },
  d: { name: 'Devices', page: 'devices/chart' },
}

const KEYS: [string, string][] = [
  ['/', 'find anything, or ask a whole question'],
  ['?', 'show these keys'],
  ['↑ ↓ Enter', 'choose in a list'],
  ['Enter', 'after a whole name: ask'],
  ['Esc', 'close what is open'],
  ...Object.entries(PLACES).map(([key, { name }]): [string, string] => [`g then ${key}`, `go to ${name}`]),
  ['arrows', 'on the chart: walk along links'],
  ['+ − 0', 'on the chart: nearer, farther, all of it'],
]

/** What whole questions are called in the list; all else is called by its kind. */
const KINDS: Record<string, string> = { flow: 'ask', route: 'ask' }

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))

/** The button and dialog for `/`: everything that has a name, and the text of all files. */
export function FindAnything() {
  const [open, setOpen] = useState<'find' | 'keys' | null>(null)
  const navigate = useNavigate()
  const to = useLinkTo()
  useEffect(() => {
    let going = false
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return
      const page = going ? PLACES[event.key]?.page : undefined
      going = event.key === 'g'
      if (page) void navigate(to(page))
      else if (event.key === '/') setOpen('find')
      else if (event.key === '?') setOpen('keys')
      else return
      event.preventDefault()
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [navigate, to])
  return (
    <>
      <button
        type="button"
        onClick={() => setOpen('find')}
        className="whitespace-nowrap text-sea-soft hover:text-sea-ink"
      >
        Find anything <kbd className="rounded border border-sea-soft/60 px-1.5 font-mono text-xs">/</kbd>
      </button>
      <Dialog
        open={open !== null}
        onClose={() => setOpen(null)}
        aria-label={open === 'keys' ? 'Keys' : 'Search'}
        className="relative z-40"
      >
        <div className="fixed inset-0 bg-black/40" aria-hidden />
        <div className="fixed inset-0 flex items-start justify-center p-4 sm:p-16">
          <DialogPanel className="w-full max-w-2xl rounded-card border border-line bg-card p-3 text-ink shadow-2xl">
            {open === 'keys' ? <Keys /> : <Finder onDone={() => setOpen(null)} />}
          </DialogPanel>
        </div>
      </Dialog>
    </>
  )
}

function Keys() {
  return (
    <>
      <h2 className="mb-2 font-semibold">Keys</h2>
      <dl className="grid grid-cols-[8rem_1fr] gap-y-1.5">
        {KEYS.map(([key, meaning]) => (
          <div key={key} className="contents">
            <dt className="font-mono">{key}</dt>
            <dd>{meaning}</dd>
          </div>
        ))}
      </dl>
    </>
  )
}

function Finder({ onDone }: { onDone: () => void }) {
  const [words, setWords] = useState('')
  const navigate = useNavigate()
  const target = useTarget()
  const { found, isOld, results } = useFound(words, { endpoints: false })
  const pick = (item: Found | null) => {
    if (!item) return
    onDone()
    void navigate(target(item))
  }
  return (
    <Combobox onChange={pick} immediate>
      <ComboboxInput
        autoFocus
        aria-label="Find anything"
        placeholder="a name, a rule, text of a file, or a question: kiosk-gul booking-db tcp 5432"
        className={`${fieldStyle({ room: 'wide' })} w-full`}
        onChange={(event) => setWords(event.target.value)}
      />
      <ComboboxOptions static className="mt-2 max-h-[60vh] overflow-auto">
        {results.map((item, index) => (
          <ComboboxOption
            key={`${item.kind} ${item.value} ${item.file} ${item.line} ${index}`}
            value={item}
            title={`${item.title}: ${item.detail}`}
            className="flex cursor-pointer items-baseline gap-3 rounded px-2 py-1 data-focus:bg-sunk"
          >
            <span className="w-24 shrink-0 text-sm text-soft">{KINDS[item.kind] ?? item.kind}</span>
            <span className="max-w-[70%] shrink-0 font-mono text-[0.92em] font-semibold break-words">
              {item.title}
            </span>
            <span className="truncate text-sm text-soft">{item.detail}</span>
          </ComboboxOption>
        ))}
      </ComboboxOptions>
      {found.isError && <Problem error={found.error} what="Nothing could be looked for." />}
      {found.failureReason && !found.isError && (
        <p role="status" className="p-2 text-warn">
          {sentence(found.failureReason.message)} It is looked for as soon as that is over.
        </p>
      )}
      {found.isSuccess && !isOld && results.length === 0 && (
        <p className="p-2 text-soft">Nothing matches all of these words in this revision.</p>
      )}
    </Combobox>
  )
}

/** Where a found thing is best looked at. */
function useTarget() {
  const to = useLinkTo()
  const file = useFileLink()
  return (item: Found): string => {
    if (item.kind === 'device') return to('devices/chart', { device: item.value })
    const asked = Object.fromEntries(new URLSearchParams(item.value))
    if (item.kind === 'flow') return to('flows', asked)
    if (item.kind === 'route') return to('routes', asked)
    if (item.file) return file(item.file, item.line)
    return to('devices/chart')
  }
}
