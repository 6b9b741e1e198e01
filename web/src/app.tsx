import { useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import { Navigate, Route, Routes, useLocation } from 'react-router'
import { useEnding } from './api/ending'
import { sessionQuery } from './api/queries'
import {
  ChangePage,
  ChangesPage,
  DevicesPage,
  fetchPages,
  FlowsPage,
  HistoryPage,
  ImportJobPage,
  ImportPage,
  LanguagePage,
  LoginPage,
  NetworkFrame,
  PlainFrame,
  SessionEnded,
  NetworksPage,
  PoliciesPage,
  AccessPage,
  FailuresPage,
  PromisesPage,
  RoutesPage,
  SavedQuestionsPage,
  AgreementPage,
  SessionsPage,
  SheetPage,
  WhatMovesPage,
} from './pages'
import { Boundary } from './ui/Boundary'
import { Problem, Waiting } from './ui/controls'

export function App() {
  const session = useQuery(sessionQuery)
  const location = useLocation()
  const ending = useEnding()
  const isIn = Boolean(session.data?.username)
  useEffect(() => {
    if (isIn) fetchPages()
  }, [isIn])
  if (session.isPending) return <Waiting what="Looking who you are" />
  if (session.isError)
    return (
      <div className="p-6">
        <Problem error={session.error} />
      </div>
    )
  const username = session.data.username
  if (!username) {
    if (location.pathname === '/login') return <LoginPage />
    const next = encodeURIComponent(location.pathname + location.search)
    return <Navigate replace to={ending === 'left' || next === '%2F' ? '/login' : `/login?next=${next}`} />
  }
  return (
    <Boundary place={location.pathname}>
      <SessionEnded username={username} />
      <Routes>
        <Route element={<PlainFrame username={username} />}>
          <Route index element={<NetworksPage />} />
          <Route path="language" element={<LanguagePage />} />
        </Route>
        <Route path="/n/:slug" element={<NetworkFrame username={username} />}>
          <Route index element={<Navigate replace to="flows" />} />
          <Route path="flows" element={<FlowsPage />} />
          <Route path="flows/saved" element={<SavedQuestionsPage />} />
          <Route path="routes" element={<RoutesPage />} />
          <Route path="routes/agreement" element={<AgreementPage />} />
          <Route path="routes/sessions" element={<SessionsPage />} />
          <Route path="routes/policies" element={<PoliciesPage />} />
          <Route path="devices" element={<Navigate replace to="chart" />} />
          <Route path="devices/:view" element={<DevicesPage />} />
          <Route path="changes" element={<ChangesPage />} />
          <Route path="changes/:name" element={<ChangePage />} />
          <Route path="changes/:name/sheet" element={<SheetPage />} />
          <Route path="compare" element={<WhatMovesPage />} />
          <Route path="history" element={<HistoryPage />} />
          <Route path="promises" element={<PromisesPage />} />
          <Route path="failures" element={<FailuresPage />} />
          <Route path="access" element={<AccessPage />} />
          <Route path="import" element={<ImportPage />} />
          <Route path="imports/:id" element={<ImportJobPage />} />
        </Route>
        <Route path="/login" element={<Navigate replace to="/" />} />
        <Route
          path="*"
          element={
            <p className="p-6">
              There is no such page. <a href="/">To the networks</a>
            </p>
          }
        />
      </Routes>
    </Boundary>
  )
}
