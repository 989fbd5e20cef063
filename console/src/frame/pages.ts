import type { Tab } from '../core/address.ts'

/** The pages of daily work, in the order of a day. */
export const ofWork: readonly Tab[] = ['round', 'issues', 'events', 'users', 'releases', 'sessions', 'alerts']

/** The pages about a project itself. */
export const ofProject: readonly Tab[] = ['rules', 'grouping', 'impact', 'symbols', 'received', 'set-up', 'settings']

const names: Record<string, string> = {
  round: 'Round', issues: 'Issues', events: 'Events', users: 'Users', releases: 'Releases', sessions: 'Sessions', alerts: 'Alerts', rules: 'Rules', grouping: 'Grouping', impact: 'Impact', symbols: 'Symbols',
  received: 'Received', 'set-up': 'Set-up', settings: 'Settings', owners: 'Workload', notices: 'Notices', destinations: 'Destinations', 'notice-settings': 'Notice settings', people: 'People', service: 'Service', audit: 'Audit', tokens: 'Tokens', 'sign-ins': 'Where you are signed in',
}

/** What a page is called, by the last word of its address. */
export const nameOf = (page: string): string => names[page] ?? 'Projects'

/** The page of the documentation that explains a page, by the last word of its address. */
const explained: Record<string, string> = {
  round: '/docs/triage', issues: '/docs/search', issue: '/docs/releases#the-life-of-an-issue', events: '/docs/search', users: '/docs/search', releases: '/docs/quality', sessions: '/docs/quality', alerts: '/docs/alerts',
  rules: '/docs/rules', grouping: '/docs/grouping', impact: '/docs/impact', symbols: '/docs/symbols', received: '/docs/troubleshooting#events-do-not-arrive', 'set-up': '/docs/signals', settings: '/docs/operations#limits-of-a-project',
  owners: '/docs/owners', destinations: '/docs/alerts#destinations', 'notice-settings': '/docs/alerts#notice-settings', people: '/docs/people', service: '/docs/troubleshooting', audit: '/docs/operations#audit-who-did-what', tokens: '/docs/people#tokens-for-programs-and-the-api', 'sign-ins': '/docs/people#signing-in-and-sessions',
}

/** Where the documentation of a page is: of one without a page of its own, the list of tasks. */
export function docsOf(pathname: string): string {
  const [, first = '', , page = '', number = ''] = pathname.split('/')
  const word = first !== 'p' ? first : page === 'issues' && number ? 'issue' : page
  return explained[word] ?? '/docs'
}
