/** What the dialogs of decisions say, as the service takes it. */

export type FixKind = 'release' | 'next' | 'commit' | 'now'

export interface FixBody {
  release?: string
  next?: boolean
  commit?: string
  now?: boolean
  why?: string
}

/** A fix as the service takes it; undefined while something is missing. */
export function fixOf(kind: FixKind, release: string, commit: string, why: string): FixBody | undefined {
  const said = why.trim() ? { why: why.trim() } : {}
  switch (kind) {
    case 'next': return { next: true, ...said }
    case 'now': return { now: true, ...said }
    case 'commit': return /^[0-9a-f]{7,64}$/i.test(commit.trim()) ? { commit: commit.trim(), ...said } : undefined
    default: return release.trim() ? { release: release.trim(), ...said } : undefined
  }
}

export interface ParkForm {
  until: string
  events: string
  users: string
  doubled: boolean
  nextRelease: boolean
  newEnvironment: boolean
}

export interface ParkBody {
  until?: string
  events?: number
  users?: number
  doubled?: boolean
  next_release?: boolean
  new_environment?: boolean
}

/** A condition as the service takes it; undefined while nothing is chosen. */
export function parkOf(f: ParkForm): ParkBody | undefined {
  const number = (s: string) => (/^[1-9]\d{0,8}$/.test(s) ? Number(s) : 0)
  const out: ParkBody = {
    ...(f.until ? { until: f.until + 'T00:00:00Z' } : {}), ...(number(f.events) ? { events: number(f.events) } : {}), ...(number(f.users) ? { users: number(f.users) } : {}),
    ...(f.doubled ? { doubled: true } : {}), ...(f.nextRelease ? { next_release: true } : {}), ...(f.newEnvironment ? { new_environment: true } : {}),
  }
  return Object.keys(out).length > 0 ? out : undefined
}

/** What wakes it, short enough for a button. */
export function parkWords(f: ParkForm): string {
  const p = parkOf(f) ?? {}
  const all = [
    p.users && `${p.users} more user${p.users === 1 ? '' : 's'}`, p.events && `${p.events} more event${p.events === 1 ? '' : 's'}`, p.until && p.until.slice(0, 10),
    p.next_release && 'the next release', p.new_environment && 'another environment', p.doubled && 'it doubles',
  ].filter(Boolean)
  return all.length > 2 ? `${all[0]} or ${all.length - 1} others` : all.join(' or ')
}
