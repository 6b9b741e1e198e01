import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Suspense, useMemo, useState } from 'react'
import { Link, Navigate, NavLink, Outlet, useLocation, useParams } from 'react-router'
import { api } from '../../api/client'
import { setEnding } from '../../api/ending'
import { networkQuery, sessionQuery } from '../../api/queries'
import { Boundary } from '../../ui/Boundary'
import { Problem, Waiting } from '../../ui/controls'
import { currentTheme, keepTheme } from '../../ui/theme'
import { moment } from '../../ui/time'
import { SkipLinks } from '../../ui/SkipLinks'
import { countCauses } from '../findings/causes'
import { useCauses } from '../findings/useCauses'
import { FindAnything } from '../find/FindAnything'
import { LensBar } from './LensBar'
import { PageHead } from './PageHead'
import { useChanges } from './useChanges'
import { useRevision } from './useRevision'
import { PlaceContext, useLinkTo } from './lens'
import { useAddress } from '../../ui/address'
import { counted, lensWords } from '../../wording'

function Account({ username, role }: { username: string; role?: string }) {
  const queries = useQueryClient()
  const [theme, setTheme] = useState(currentTheme)
  const other = theme === 'light' ? 'dark' : 'light'
  const logout = useMutation({
    mutationFn: () => api.DELETE('/api/session'),
    onSuccess: () => {
      setEnding('left')
      queries.clear()
      queries.setQueryData(sessionQuery.queryKey, { username: null })
    },
  })
  return (
    <div className="flex items-center gap-4 whitespace-nowrap text-sea-soft">
      <button
        type="button"
        className="hover:text-sea-ink"
        onClick={() => {
          keepTheme(other)
          setTheme(other)
        }}
      >
        {other === 'dark' ? 'Dark' : 'Light'}
      </button>
      <span className="text-sea-ink">
        {username}
        {role && <span className="text-sea-soft">, {role}</span>}
      </span>
      <button
        type="button"
        className="whitespace-nowrap hover:text-sea-ink"
        disabled={logout.isPending}
        onClick={() => logout.mutate()}
      >
        Log out
      </button>
      {logout.isError && (
        <div className="fixed top-14 right-4 z-40 w-80 text-ink shadow-lg">
          <Problem error={logout.error} what="You are still logged in." />
        </div>
      )}
    </div>
  )
}

/** The page in its frame, which stays while a page is loaded, or fails. */
function Page() {
  return (
    <Boundary place={useLocation().pathname}>
      <Suspense fallback={<Waiting what="Loading the page" />}>
        <Outlet />
      </Suspense>
    </Boundary>
  )
}

/** The frame without a network: the list of networks. */
export function PlainFrame({ username }: { username: string }) {
  return (
    <div className="flex min-h-full flex-col">
      <header className="flex h-12 items-center justify-between gap-4 bg-sea px-4 text-sea-ink">
        <Link to="/" className="text-lg font-semibold text-sea-ink">
          Routrel
        </Link>
        <Account username={username} />
      </header>
      <main id="content" tabIndex={-1} className="mx-auto w-full max-w-5xl p-5 outline-none">
        <Page />
      </main>
    </div>
  )
}

const RAIL = [
  { page: 'flows', label: 'Flows', path: 'M4 7h9a5 5 0 0 1 5 5v5M14 13l4 4 4-4' },
  { page: 'routes', label: 'Routes', path: 'M12 21v-7M12 14 6 8V3M12 14l6-6V3M9 5 6 2 3 5M21 5l-3-3-3 3' },
  {
    page: 'changes',
    label: 'Changes',
    path: 'M6 3v18M6 8c0 5 11 3 11 9M17 17l-3-3M17 17l3-3',
  },
  { page: 'promises', label: 'Promises', path: 'M5 12l5 5L20 6M4 21h16' },
  { page: 'failures', label: 'Failures', path: 'M3 12h5l2-5 4 10 2-5h5M19 4l-4 4' },
  { page: 'devices/chart', label: 'Devices', path: 'M4 5h7v5H4zM13 14h7v5h-7zM7 10v6h6' },
]

/** How much is suspicious and not muted, beside the devices. */
function FindingCount() {
  const { causes } = useCauses()
  const { errors, warnings } = countCauses(causes ?? [])
  if (errors + warnings === 0) return null
  const words = `${counted(errors, 'error')}, ${counted(warnings, 'warning')}`
  return (
    <span
      title={`${words} found, not muted`}
      className={`rounded-full border px-1.5 text-xs leading-4 font-normal ${
        errors > 0 ? 'border-stop text-stop' : 'border-warn text-warn'
      }`}
    >
      {errors > 0 ? '✗' : '!'} {errors + warnings}
      <span className="sr-only"> findings: {words}</span>
    </span>
  )
}

function Rail() {
  const to = useLinkTo()
  const { pathname } = useLocation()
  return (
    <nav
      aria-label="Views"
      className="flex w-20 shrink-0 flex-col gap-1 border-r border-line bg-sunk py-2 max-md:w-auto max-md:flex-row max-md:border-r-0 max-md:border-b max-md:py-0 print:hidden"
    >
      {RAIL.map(({ page, label, path }) => (
        <NavLink
          key={page}
          to={to(page)}
          className={({ isActive }) =>
            `flex flex-col items-center gap-1 border-l-4 py-2.5 text-sm no-underline hover:bg-card max-md:flex-row max-md:border-b-4 max-md:border-l-0 max-md:px-3 max-md:py-1.5 ${
              isActive ||
              (page.startsWith('devices') && pathname.includes('/devices/')) ||
              (page === 'changes' && /\/(compare|history)$/.test(pathname))
                ? 'border-chosen bg-card font-semibold text-ink'
                : 'border-transparent text-soft'
            }`
          }
        >
          <svg
            viewBox="0 0 24 24"
            className="size-5"
            fill="none"
            stroke="currentColor"
            strokeWidth="2"
            strokeLinecap="round"
            strokeLinejoin="round"
            aria-hidden
          >
            <path d={path} />
          </svg>
          {label}
          {page.startsWith('devices') && <FindingCount />}
        </NavLink>
      ))}
    </nav>
  )
}

/** Names the newest revision in the address, once: what is shown stays what was asked. */
function NameNewest({ number }: { number: number }) {
  const { pathname, search, hash } = useLocation()
  const params = new URLSearchParams(search)
  params.set('revision', String(number))
  return <Navigate replace to={{ pathname, search: `?${params}`, hash }} />
}

function Unopened({ error }: { error: unknown }) {
  return (
    <main className="p-6">
      <PageHead title="Not opened" />
      <Problem error={error} />
      <p className="mt-3">
        <Link to="/">To the networks</Link>
      </p>
    </main>
  )
}

/** The address names a revision that this network does not have. */
function UnknownRevision({ title, text, known }: { title: string; text: string; known: number[] }) {
  const [, change] = useAddress()
  const newest = Math.max(...known)
  return (
    <main className="p-6">
      <PageHead title="No such revision" of={title} />
      <div role="alert" className="rounded-card border border-stop bg-stop-wash p-3">
        <strong className="text-stop">
          {title} has no revision “{text}”.
        </strong>{' '}
        {known.length === 0
          ? 'Nothing is imported into it yet.'
          : known.length === 1
            ? `It has one, revision ${newest}.`
            : `It has ${known.length}, from ${Math.min(...known)} to ${newest}. One that is missing between them was deleted.`}
      </div>
      <p className="mt-3 flex gap-4">
        {known.length > 0 && (
          <button
            type="button"
            className="text-link underline"
            onClick={() => change({ revision: String(newest) })}
          >
            The same page in revision {newest}
          </button>
        )}
        <Link to="/">To the networks</Link>
      </p>
    </main>
  )
}

/** The address names a change that is not there, or not any more. */
function UnknownChange({ title, name }: { title: string; name: string }) {
  const { pathname, search } = useLocation()
  const without = new URLSearchParams(search)
  for (const key of ['change', 'base_change'] as const) {
    const others = without.getAll(key).filter((each) => each !== name)
    without.delete(key)
    for (const each of others) without.append(key, each)
  }
  return (
    <main className="p-6">
      <PageHead title="No such change" of={title} />
      <div role="alert" className="rounded-card border border-stop bg-stop-wash p-3">
        <strong className="text-stop">
          {title} has no change “{name}”.
        </strong>{' '}
        It may have been dropped; for a day whoever dropped it can take it back.
      </div>
      <p className="mt-3">
        <Link to={{ pathname, search: `?${without}` }}>The same page without it</Link>
      </p>
    </main>
  )
}

/** Past the frame: to the page, and to what the page is for. */
function skips(pathname: string) {
  const page = { id: 'content', label: 'Skip to the page' }
  if (pathname.endsWith('/devices/chart')) return [page, { id: 'chart-drawing', label: 'Skip to the chart' }]
  if (pathname.endsWith('/flows')) return [page, { id: 'answer', label: 'Skip to the answer' }]
  return [page]
}

/** Changes, failures, the same of the pinned lens behind its revision, and whose tables are taken. */
type Written = [string[], string[], number | null, string[], string[], string[]]

/** The frame of everything about one network: lens, rail, find-anything. */
export function NetworkFrame({ username }: { username: string }) {
  const { slug = '' } = useParams()
  const { pathname } = useLocation()
  const [params] = useAddress()
  const network = useQuery(networkQuery(slug))
  const asked = useRevision(network.data, slug, params.get('revision'))
  const revision = asked.kind === 'there' ? asked.number : undefined
  const changes = params.getAll('change')
  const based = params.getAll('base_change')
  const known = useChanges(slug, [...changes, ...based])
  const said = known.kind === 'there' ? known.said : undefined
  const written = JSON.stringify([
    changes,
    params.getAll('fail').sort(),
    Number(params.get('base_revision')) || null,
    based,
    params.getAll('base_fail').sort(),
    params.getAll('tables').sort(),
  ])
  const place = useMemo(() => {
    const [change, fail, base, baseChange, baseFail, tables] = JSON.parse(written) as Written
    const some = (names: string[]) => (names.length ? names : undefined)
    if (!network.data) return null
    const ofChanges = (names: string[]) => (names.length ? { change: names, said } : {})
    return {
      network: network.data,
      lens: { slug, revision, ...ofChanges(change), fail: some(fail), tables: some(tables) },
      pinned: base ? { revision: base, ...ofChanges(baseChange), fail: some(baseFail) } : undefined,
    }
  }, [network.data, slug, revision, written, said])
  if (network.isError && !network.data) return <Unopened error={network.error} />
  if (!place || asked.kind === 'looking' || known.kind === 'looking')
    return <Waiting what="Opening the network" />
  if (known.kind === 'failed') return <Unopened error={known.error} />
  if (known.kind === 'unknown') return <UnknownChange title={place.network.title} name={known.name} />
  if (asked.kind === 'unnamed') return <NameNewest number={asked.newest} />
  if (asked.kind === 'failed') return <Unopened error={asked.error} />
  if (asked.kind === 'unknown')
    return <UnknownRevision title={place.network.title} text={asked.text} known={asked.known} />
  const mayImport = place.network.role !== 'viewer'
  return (
    <PlaceContext value={place}>
      <SkipLinks to={skips(pathname)} />
      <div className="flex h-full flex-col max-md:h-auto max-md:min-h-full print:block print:h-auto">
        <header className="flex min-h-12 shrink-0 flex-wrap items-center gap-x-4 gap-y-1 bg-sea px-4 py-1.5 text-sea-ink print:hidden">
          <Link to="/" className="w-14 text-lg font-semibold text-sea-ink">
            Routrel
          </Link>
          <span className="max-w-72 truncate font-semibold" title={place.network.title}>
            {place.network.title}
          </span>
          <LensBar />
          {mayImport && (
            <Link className="whitespace-nowrap text-sea-soft hover:text-sea-ink" to={`/n/${slug}/import`}>
              Import
            </Link>
          )}
          <div className="flex-1" />
          <FindAnything />
          <Account username={username} role={place.network.role} />
        </header>
        <div className="flex min-h-0 flex-1 max-md:flex-col print:block">
          <Rail />
          <main
            id="content"
            tabIndex={-1}
            className="min-w-0 flex-1 overflow-auto p-3 outline-none max-md:overflow-visible print:overflow-visible"
          >
            <p className="mb-2 hidden print:block">
              {place.network.title}, {lensWords(place.lens)}, printed {moment(new Date())}
            </p>
            <Page />
          </main>
        </div>
      </div>
    </PlaceContext>
  )
}
