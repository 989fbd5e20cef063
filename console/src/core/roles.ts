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
export function rolesWords(p: { operator: boolean; everywhere?: string; roles?: { project: string; role: string }[]; more_roles?: number }): string {
  const single = [...roles].reverse().map((role) => {
    const names = (p.roles ?? []).filter((r) => r.role === role).map((r) => r.project)
    return names.length === 0 ? '' : `${role} of ${names.join(', ')}`
  })
  const more = p.more_roles ? `and in ${p.more_roles} more projects` : ''
  return [p.operator ? 'operator' : '', p.everywhere ? `${p.everywhere} of all projects` : '', ...single, more].filter(Boolean).join('; ') || 'no role'
}
