import { lazy, Suspense } from 'react'
import { DecideTabs } from './decide/DecideTabs'
import { RunsBeside } from './decide/RunsBeside'
import { WhatIf } from './decide/WhatIf'
import { Navigate, Route, Routes } from 'react-router'
import { useLive } from './api/live'
import { Answer } from './api/request'
import { useBenches } from './api/queries'
import { Decks } from './model/Decks'
import { ModelTabs } from './model/ModelTabs'
import { Overview } from './model/Overview'
import { Results } from './model/Results'
import { Revisions } from './model/Revisions'
import { Decide } from './places/Decide'
import { Explore } from './places/Explore'
import { Improve } from './places/Improve'
import { Prove } from './places/Prove'
import { Shell } from './shell/Shell'
import { NoBench, Refused } from './shell/Welcome'

// The editor is as large as all the rest, and one page needs it.
const FilesPage = lazy(() => import('./model/FilesPage').then(({ FilesPage }) => ({ default: FilesPage })))

export function App() {
  const benches = useBenches()
  const connection = useLive()
  if (benches.error) return <Refused error={benches.error} locked={benches.error instanceof Answer && benches.error.problem.status === 401} />
  if (!benches.data) return null
  const first = [...benches.data].sort((a, b) => b.changed.localeCompare(a.changed))[0]
  if (!first) return <NoBench />
  return (
    <Routes>
      <Route path="/bench/:bench" element={<Shell benches={benches.data} connection={connection} />}>
        <Route path="model" element={<ModelTabs />}>
          <Route index element={<Overview />} />
          <Route path="decks/*" element={<Decks />} />
          <Route path="files/*" element={<Suspense><FilesPage /></Suspense>} />
          <Route path="results/*" element={<Results />} />
          <Route path="revisions" element={<Revisions />} />
        </Route>
        <Route path="explore/:run?/:view?" element={<Explore />} />
        <Route path="improve/:run?" element={<Improve />} />
        <Route path="decide" element={<DecideTabs />}>
          <Route index element={<Decide />} />
          <Route path="runs" element={<RunsBeside />} />
          <Route path="what-if" element={<WhatIf />} />
        </Route>
        <Route path="prove/:run?" element={<Prove />} />
        <Route index element={<Navigate to="model" replace />} />
      </Route>
      <Route path="*" element={<Navigate to={`/bench/${encodeURIComponent(first.name)}/model`} replace />} />
    </Routes>
  )
}
