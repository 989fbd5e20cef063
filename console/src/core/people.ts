/** Users as their events call them. */

/** The attributes that name a user, the best first. */
export const identityKeys = ['user.id', 'user.email', 'user.name', 'enduser.id', 'enduser.pseudo.id', 'app.installation.id'] as const

export interface Named {
  identities: Record<string, string[] | null>
}

/** The name by which a user is asked for. */
export const nameOf = (u: Named): string => identityKeys.map((k) => u.identities[k]?.[0]).find(Boolean) ?? ''

/** All that a user is called, in one line. */
export const allNames = (u: Named): string => [...new Set(identityKeys.flatMap((k) => u.identities[k]?.[0] ?? []))].join(' · ') || 'no name is kept'

/** Users as CSV (RFC 4180), a line each. A spreadsheet takes no cell for a formula. */
export function csv(list: (Named & { events: number; first: string; last: string })[]): string {
  const cell = (text: string) => {
    const safe = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text
    return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe
  }
  const rows = list.map((u) => [...identityKeys.map((k) => cell(u.identities[k]?.[0] ?? '')), String(u.events), u.first, u.last])
  return [[...identityKeys, 'events', 'first', 'last'], ...rows].map((r) => r.join(',')).join('\r\n') + '\r\n'
}
