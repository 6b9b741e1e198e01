import { lazy, type ComponentType } from 'react'
import { loaded } from './api/loaded'

/**
 * The pages, each loaded when it is first shown; the others follow once the browser has nothing
 * else to do, so that going to one does not wait for the server.
 */
const loads: (() => Promise<unknown>)[] = []

function page<Props extends object>(load: () => Promise<ComponentType<Props>>) {
  loads.push(load)
  return lazy(async () => ({ default: await loaded(load) }))
}

export const LoginPage = page(() => import('./features/session/LoginPage').then((module) => module.LoginPage))
export const SessionEnded = page(() =>
  import('./features/session/SessionEnded').then((module) => module.SessionEnded),
)
export const PlainFrame = page(() => import('./features/lens/Frame').then((module) => module.PlainFrame))
export const NetworkFrame = page(() => import('./features/lens/Frame').then((module) => module.NetworkFrame))
export const FlowsPage = page(() => import('./features/flows/FlowsPage').then((module) => module.FlowsPage))
export const SavedQuestionsPage = page(() =>
  import('./features/flows/SavedQuestionsPage').then((module) => module.SavedQuestionsPage),
)
export const RoutesPage = page(() =>
  import('./features/routes/RoutesPage').then((module) => module.RoutesPage),
)
export const AgreementPage = page(() =>
  import('./features/routes/AgreementPage').then((module) => module.AgreementPage),
)
export const SessionsPage = page(() =>
  import('./features/routes/SessionsPage').then((module) => module.SessionsPage),
)
export const PoliciesPage = page(() =>
  import('./features/routes/PoliciesPage').then((module) => module.PoliciesPage),
)
export const DevicesPage = page(() =>
  import('./features/devices/DevicesPage').then((module) => module.DevicesPage),
)
export const ImportPage = page(() =>
  import('./features/networks/ImportPage').then((module) => module.ImportPage),
)
export const ImportJobPage = page(() =>
  import('./features/networks/ImportJobPage').then((module) => module.ImportJobPage),
)
/** Parts of pages that are large, and that not every visit wants. */
export const ChartPage = page(() => import('./features/chart/ChartPage').then((module) => module.ChartPage))
export const FileText = page(() => import('./features/devices/FileText').then((module) => module.FileText))
export const TextEditor = page(() =>
  import('./features/changes/TextEditor').then((module) => module.TextEditor),
)
export const LanguagePage = page(() =>
  import('./features/language/LanguagePage').then((module) => module.LanguagePage),
)
export const ChangesPage = page(() =>
  import('./features/changes/ChangesPage').then((module) => module.ChangesPage),
)
export const ChangePage = page(() =>
  import('./features/changes/ChangePage').then((module) => module.ChangePage),
)
export const SheetPage = page(() => import('./features/changes/SheetPage').then((module) => module.SheetPage))
export const HistoryPage = page(() =>
  import('./features/changes/HistoryPage').then((module) => module.HistoryPage),
)
export const WhatMovesPage = page(() =>
  import('./features/changes/WhatMovesPage').then((module) => module.WhatMovesPage),
)
export const PromisesPage = page(() =>
  import('./features/promises/PromisesPage').then((module) => module.PromisesPage),
)
export const FailuresPage = page(() =>
  import('./features/failures/FailuresPage').then((module) => module.FailuresPage),
)
export const AccessPage = page(() =>
  import('./features/access/AccessPage').then((module) => module.AccessPage),
)
export const NetworksPage = page(() =>
  import('./features/networks/NetworksPage').then((module) => module.NetworksPage),
)

/** Fetch all pages in the background. What fails is fetched again when it is wanted. */
export function fetchPages(): void {
  const fetchAll = () => void Promise.allSettled(loads.map((load) => load()))
  if ('requestIdleCallback' in window) window.requestIdleCallback(fetchAll, { timeout: 5000 })
  else setTimeout(fetchAll, 2000)
}
