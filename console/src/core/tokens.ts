import { args, option } from './shell.ts'

/** A token as the service is asked for it. */
interface NewToken {
  label: string
  scope: Kind
  projects?: string[]
  permissions?: string[]
  days?: number
  never?: boolean
}

/** What a token is for, with what it may unless something else is said. */
export const kinds = ['person', 'build', 'read', 'service'] as const
export type Kind = (typeof kinds)[number]

export const kindWords: Record<Kind, string> = {
  person: 'your own programs: your permissions, and no more',
  build: 'a build: pushes symbols and announces releases; never reads an event',
  read: 'a program that reads issues and events',
  service: 'another service: the permissions that you choose',
}

/** All that a token can be given. */
export const permissions = ['symbols:push', 'releases:announce', 'rules:check', 'rules:push', 'issues:read', 'issues:triage', 'events:read', 'export'] as const

/** What a token may, in words where it has what is usual for its kind. */
export function mayWords(kind: string, given: readonly string[]): string {
  if (given.includes('admin')) return 'everything'
  if (kind === 'person' && permissions.every((p) => given.includes(p))) return 'all permissions of the person'
  if (kind === 'build' && given.length === 3) return 'push symbols, announce releases, check rules'
  if (kind === 'read' && given.length === 3) return 'read issues and events, check rules'
  return given.join(', ')
}

/** What a token that is being made holds. */
export interface Draft {
  kind: Kind
  label: string
  projects: string[]
  chosen: string[] // permissions of a service
  days: number // 0: it never runs out
}

/** What is missing before a token can be made; '' for nothing. all says that its maker may make it for all projects. */
export function missing(d: Draft, all: boolean): string {
  if (!d.label.trim()) return 'Name its purpose.'
  if (d.kind === 'service' && d.chosen.length === 0) return 'Choose its permissions.'
  if (d.kind !== 'person' && d.projects.length === 0 && !all) return 'Choose the projects it is good for.'
  return ''
}

/** What is asked of the service. */
export function asked(d: Draft): NewToken {
  return {
    label: d.label.trim(), scope: d.kind,
    ...(d.projects.length > 0 ? { projects: d.projects } : {}),
    ...(d.kind === 'service' ? { permissions: d.chosen } : {}),
    ...(d.days === 0 ? { never: true } : { days: d.days }),
  }
}

/** The same on a command line. */
export function commandOf(d: Draft): string {
  return [
    'firethorn token create', option('--scope', d.kind),
    ...(d.projects.length > 0 ? [option('--projects', d.projects.join(','))] : []),
    ...(d.kind === 'service' ? d.chosen.map((p) => option('--permission', p)) : []),
    d.days === 0 ? '--never' : option('--days', String(d.days)),
    args(d.label.trim() || 'LABEL'),
  ].join(' ')
}
