import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import type { ComponentType } from 'react'
import { createRoot } from 'react-dom/client'
import { createBrowserRouter, Navigate } from 'react-router'
import { RouterProvider } from 'react-router/dom'
import './app.css'
import { ApiError } from './api/client.ts'
import { Broken, part } from './frame/broken.tsx'
import { Frame } from './frame/frame.tsx'
import { Loading } from './shared/parts.tsx'
import { Projects } from './projects/projects.tsx'
import { SignIn } from './frame/sign-in.tsx'

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
      { path: '/p/:project/issues', lazy: page(() => import('./issues/issues.tsx'), 'Issues') },
      { path: '/p/:project/issues/:number', lazy: page(() => import('./issue/issue.tsx'), 'IssuePage') },
      { path: '/p/:project/events', lazy: page(() => import('./events/events.tsx'), 'EventsPage') },
      { path: '/p/:project/users', lazy: page(() => import('./users/users.tsx'), 'UsersPage') },
      { path: '/p/:project/users/:who', lazy: page(() => import('./users/user.tsx'), 'UserPage') },
      { path: '/p/:project/received', lazy: page(() => import('./received/received.tsx'), 'ReceivedPage') },
      { path: '/p/:project/symbols', lazy: page(() => import('./symbols/symbols.tsx'), 'SymbolsPage') },
      { path: '/p/:project/rules', lazy: page(() => import('./grouping/rules.tsx'), 'RulesPage') },
      { path: '/p/:project/releases', lazy: page(() => import('./releases/releases.tsx'), 'ReleasesPage') },
      { path: '/p/:project/grouping', lazy: page(() => import('./grouping/review.tsx'), 'GroupingPage') },
      { path: '/p/:project/set-up', lazy: page(() => import('./projects/set-up.tsx'), 'SetUpPage') },
      { path: '/p/:project/sessions', lazy: page(() => import('./sessions/sessions.tsx'), 'SessionsPage') },
      { path: '/p/:project/settings', lazy: page(() => import('./settings/settings.tsx'), 'SettingsPage') },
      { path: '/p/:project/alerts', lazy: page(() => import('./alerts/alerts.tsx'), 'AlertsPage') },
      { path: '/destinations', lazy: page(() => import('./alerts/destinations.tsx'), 'DestinationsPage') },
      { path: '/notice-settings', lazy: page(() => import('./alerts/settings.tsx'), 'NoticeSettingsPage') },
      { path: '/round', lazy: page(() => import('./round/round.tsx'), 'RoundPage') },
      { path: '/p/:project/round', lazy: page(() => import('./round/round.tsx'), 'RoundPage') },
      { path: '/p/:project/impact', lazy: page(() => import('./impact/impact.tsx'), 'ImpactPage') },
      { path: '/owners', lazy: page(() => import('./people/carriers.tsx'), 'CarriersPage') },
      { path: '/people', lazy: page(() => import('./people/people.tsx'), 'PeoplePage') },
      { path: '/service', lazy: page(() => import('./service/service.tsx'), 'ServicePage') },
      { path: '/tokens', lazy: page(() => import('./tokens/tokens.tsx'), 'TokensPage') },
      { path: '/sign-ins', lazy: page(() => import('./sign-ins/sign-ins.tsx'), 'SignInsPage') },
      { path: '/audit', lazy: page(() => import('./audit/audit.tsx'), 'AuditPage') },
      { path: '/notices', lazy: page(() => import('./notices/notices.tsx'), 'NoticesPage') },
      { path: '/t/:trace', lazy: page(() => import('./issue/whole-trace.tsx'), 'TracePage') },
      { path: '*', element: <p className="p-10">There is no such page. The list of projects is behind the name at the top.</p> },
    ],
  },
])

createRoot(document.getElementById('root')!).render(
  <QueryClientProvider client={client}>
    <RouterProvider router={router} />
  </QueryClientProvider>,
)
