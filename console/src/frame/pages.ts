import type { Tab } from '../core/address.ts'

/** The pages of daily work, in the order of a day. */
export const ofWork: readonly Tab[] = ['round', 'issues', 'events', 'users', 'releases', 'sessions', 'alerts']

/** The pages about a project itself. */
export const ofProject: readonly Tab[] = ['rules', 'grouping', 'impact', 'symbols', 'received', 'set-up', 'settings']

const names: Record<string, string> = {
  round: 'Round', issues: 'Issues', events: 'Events', users: 'Users', releases: 'Releases', sessions: 'Sessions', alerts: 'Alerts', rules: 'Rules', grouping: 'Grouping', impact: 'Impact', symbols: 'Symbols',
  received: 'Received', 'set-up': 'Set-up', settings: 'Settings', owners: 'Who carries what', notices: 'Notices', destinations: 'Destinations', 'notice-settings': 'Notice settings', people: 'People', service: 'Service', audit: 'Audit', tokens: 'Tokens', 'sign-ins': 'Where you are signed in',
}

/** What a page is called, by the last word of its address. */
export const nameOf = (page: string): string => names[page] ?? 'Projects'
