import { lazy, type ComponentType } from 'react'

/**
 * The pages, each loaded when it is first shown; the others follow once the browser has nothing
 * else to do, so that going to one does not wait for the server.
 */
const loads: (() => Promise<unknown>)[] = []

function page<Name extends string>(name: Name, load: () => Promise<Record<Name, ComponentType>>) {
  loads.push(load)
  return lazy(async () => ({ default: (await loaded(load))[name] }))
}

export const FlowsPage = page('FlowsPage', () => import('./features/flows/FlowsPage'))
export const SavedQuestionsPage = page(
  'SavedQuestionsPage',
  () => import('./features/flows/SavedQuestionsPage'),
)
export const RoutesPage = page('RoutesPage', () => import('./features/routes/RoutesPage'))
export const SessionsPage = page('SessionsPage', () => import('./features/routes/SessionsPage'))
export const PoliciesPage = page('PoliciesPage', () => import('./features/routes/PoliciesPage'))
export const DraftsPage = page('DraftsPage', () => import('./features/routes/DraftsPage'))
export const DevicesPage = page('DevicesPage', () => import('./features/devices/DevicesPage'))
export const ImportPage = page('ImportPage', () => import('./features/networks/ImportPage'))
export const ImportJobPage = page('ImportJobPage', () => import('./features/networks/ImportJobPage'))
export const NetworksPage = page('NetworksPage', () => import('./features/networks/NetworksPage'))

/** Fetch all pages in the background. What fails is fetched again when it is wanted. */
export function fetchPages(): void {
  const fetchAll = () => void Promise.allSettled(loads.map((load) => load()))
  if ('requestIdleCallback' in window) window.requestIdleCallback(fetchAll, { timeout: 5000 })
  else setTimeout(fetchAll, 2000)
}

const RELOADED = 'routrel-reloaded-for'

/**
 * What a page's module exports. While the server is away it waits; where the server is there and
 * the module is not, the application was updated, and the whole page is loaded anew, once.
 */
export async function loaded<Module>(load: () => Promise<Module>, again = 2000): Promise<Module> {
  for (;;) {
    try {
      const module = await load()
      sessionStorage.removeItem(RELOADED)
      return module
    } catch (error) {
      const there = await fetch('/api/session').then(
        () => true,
        () => false,
      )
      if (there) {
        if (sessionStorage.getItem(RELOADED) === location.pathname) throw error
        sessionStorage.setItem(RELOADED, location.pathname)
        location.reload()
      }
      await new Promise((done) => setTimeout(done, again))
    }
  }
}
