import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import type { ComponentType } from 'react'
import { createRoot } from 'react-dom/client'
import { createBrowserRouter, Navigate } from 'react-router'
import { RouterProvider } from 'react-router/dom'
import './app.css'
import { ApiError } from './api/client.ts'
import { Broken, part } from './ui/broken.tsx'
import { Frame } from './ui/frame.tsx'
import { Loading } from './ui/parts.tsx'
import { Projects } from './ui/projects.tsx'
import { SignIn } from './ui/sign-in.tsx'

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      refetchOnWindowFocus: false,
      // What was refused is not worth asking again; what did not answer is.
      retry: (n, e) => n < 3 && !(e instanceof ApiError && e.status >= 400 && e.status < 500),
    },
  },
})

/** Where the person goes, while the part for it is loaded. */
const going = (): string => {
  const to = router.state.navigation.location ?? router.state.location
  return to.pathname + to.search
}
const page: <K extends string>(load: () => Promise<Record<K, ComponentType>>, name: K) => ReturnType<typeof part> = (load, name) => part(going, load, name)

const router = createBrowserRouter([
  { path: '/sign-in', element: <SignIn /> },
  {
    element: <Frame />,
    errorElement: <Broken />,
    HydrateFallback: Loading,
    children: [
      { path: '/', element: <Projects /> },
      { path: '/p/:project', element: <Navigate to="issues" replace /> },
      { path: '/p/:project/issues', lazy: page(() => import('./ui/issues.tsx'), 'Issues') },
      { path: '/p/:project/issues/:number', lazy: page(() => import('./ui/issue.tsx'), 'IssuePage') },
      { path: '/p/:project/received', lazy: page(() => import('./ui/received.tsx'), 'ReceivedPage') },
      { path: '/p/:project/symbols', lazy: page(() => import('./ui/symbols.tsx'), 'SymbolsPage') },
      { path: '/p/:project/rules', lazy: page(() => import('./ui/rules.tsx'), 'RulesPage') },
      { path: '/p/:project/releases', lazy: page(() => import('./ui/releases.tsx'), 'ReleasesPage') },
      { path: '/p/:project/grouping', lazy: page(() => import('./ui/review.tsx'), 'GroupingPage') },
      { path: '/p/:project/set-up', lazy: page(() => import('./ui/set-up.tsx'), 'SetUpPage') },
      { path: '/round', lazy: page(() => import('./ui/round.tsx'), 'RoundPage') },
      { path: '/p/:project/round', lazy: page(() => import('./ui/round.tsx'), 'RoundPage') },
      { path: '/p/:project/impact', lazy: page(() => import('./ui/impact.tsx'), 'ImpactPage') },
      { path: '/owners', lazy: page(() => import('./ui/carriers.tsx'), 'CarriersPage') },
      { path: '/notices', lazy: page(() => import('./ui/notices.tsx'), 'NoticesPage') },
      { path: '/t/:trace', lazy: page(() => import('./ui/whole-trace.tsx'), 'TracePage') },
      { path: '*', element: <p className="p-10">There is no such page. The list of projects is behind the name at the top.</p> },
    ],
  },
])

createRoot(document.getElementById('root')!).render(
  <QueryClientProvider client={client}>
    <RouterProvider router={router} />
  </QueryClientProvider>,
)
