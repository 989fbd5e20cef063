/** What somebody may be in a project, each of which may all that those before it may. */
export const roles = ['viewer', 'member', 'maintainer'] as const
export type Role = (typeof roles)[number]

/** What each role may, in a few words. */
export const roleWords: Record<Role, string> = {
  viewer: 'reads and comments',
  member: 'and decides about issues, pushes symbols, announces releases',
  maintainer: 'and changes rules, keys, settings and members; deletes and regroups',
}

interface Holder {
  everywhere?: string
  roles: Record<string, string>
}

const rank = (r: string | undefined): number => roles.indexOf(r as Role)

/** The greatest role that somebody has in a project, by whatever way; '' for none. */
export function roleIn(me: Holder, project: string): Role | '' {
  const best = Math.max(rank(me.everywhere), rank(me.roles[project]))
  return roles[best] ?? ''
}

/** Whether a role may all that another one may. */
export const atLeast = (r: Role | '', least: Role): boolean => rank(r) >= rank(least)

/** What somebody is where, in words: "operator; member of all projects; maintainer of quayside, gangway". */
export function rolesWords(p: { operator: boolean; everywhere?: string; roles?: { project: string; role: string }[] }): string {
  const single = [...roles].reverse().map((role) => {
    const names = (p.roles ?? []).filter((r) => r.role === role).map((r) => r.project)
    const more = names.length - maxNamed
    return names.length === 0 ? '' : `${role} of ${names.slice(0, maxNamed).join(', ')}${more > 0 ? ` and ${more} more` : ''}`
  })
  return [p.operator ? 'operator' : '', p.everywhere ? `${p.everywhere} of all projects` : '', ...single].filter(Boolean).join('; ') || 'no role'
}

/** How many projects of a role are named. */
const maxNamed = 4
