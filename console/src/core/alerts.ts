/** Alert rules as a form has them, and as the rules file does. */

export interface AlertForm {
  name: string
  /** What an issue becomes; none with a threshold. */
  becomes: string[]
  /** A search that events must fit; '': all. */
  search: string
  newest: boolean
  users: string
  events: string
  within: string
  again: string
  to: string[]
}

export const becomings: readonly (readonly [string, string])[] = [
  ['new', 'is new'], ['regressed', 'comes back'], ['woken', 'wakes up'], ['surging', 'surges'], ['assigned', 'is assigned'], ['commented', 'is commented on'], ['fixed', 'is marked as fixed'], ['holding', 'stays fixed'],
]

export const emptyAlert: AlertForm = { name: '', becomes: ['new'], search: '', newest: false, users: '', events: '', within: '1h', again: '', to: [] }

const quoted = (text: string): string => JSON.stringify(text)

/** A condition in CEL for what the form says. */
export function condition(f: AlertForm): string {
  const parts: string[] = []
  const became = f.becomes.map((b) => `became(${quoted(b)})`)
  if (became.length === 1) parts.push(became[0]!)
  else if (became.length > 1) parts.push(f.search || f.newest ? `(${became.join(' || ')})` : became.join(' || '))
  if (f.newest) parts.push('in_newest_release')
  if (f.search.trim()) parts.push(`matches(${quoted(f.search.trim())})`)
  return parts.join(' && ') || 'true'
}

/** What keeps the form from being a rule; '' when nothing does. */
export function wrongWith(f: AlertForm): string {
  const whole = (t: string) => t === '' || /^[1-9][0-9]{0,8}$/.test(t)
  if (!f.name.trim()) return 'Give the alert a name.'
  if (f.name.trim().length > 60) return 'The name has at most 60 characters.'
  if (f.becomes.length === 0 && f.users === '' && f.events === '') return 'Choose a change of an issue, or a number of users or events.'
  if (f.becomes.length > 0 && (f.users !== '' || f.events !== '')) return 'Choose a change of an issue, or a number of users or events. For both, create two alerts.'
  if (!whole(f.users) || !whole(f.events)) return 'Users and events are whole numbers.'
  if (f.within && !/^[0-9]+[mhd]$/.test(f.within)) return 'A time is 10m, 2h or 3d.'
  if (f.again && !/^[0-9]+[mhd]$/.test(f.again)) return 'A time is 10m, 2h or 3d.'
  if (f.to.length === 0) return 'Choose who is notified.'
  return ''
}

/** The rule as YAML, two spaces in. */
export function ruleYaml(f: AlertForm): string {
  const counts = f.users !== '' || f.events !== ''
  const lines = [`  - name: ${quoted(f.name.trim())}`, `    when: ${yamlText(condition(f))}`]
  if (f.users) lines.push(`    users: ${f.users}`)
  if (f.events) lines.push(`    events: ${f.events}`)
  if (counts && f.within) lines.push(`    within: ${f.within}`)
  lines.push(`    to: [${f.to.map(quoted).join(', ')}]`)
  if (f.again) lines.push(`    again: ${f.again}`)
  return lines.join('\n') + '\n'
}

/** A text as a YAML scalar in single quotes: a condition holds double ones. */
const yamlText = (text: string): string => `'${text.replaceAll("'", "''")}'`

/**
 * The rules file with another alert rule: at the end of its section alerts, or in a section
 * of its own at the end of the file. Where the section says [] the rule takes its place.
 */
export function withRule(file: string, rule: string): string {
  const lines = file.split('\n')
  const at = lines.findIndex((l) => /^alerts\s*:/.test(l))
  if (at < 0) return `${file.trimEnd()}${file.trim() ? '\n\n' : ''}alerts:\n${rule}`
  let end = at + 1
  while (end < lines.length && (lines[end]!.trim() === '' || /^[\s#-]/.test(lines[end]!))) end++
  while (end > at + 1 && (lines[end - 1]!.trim() === '' || lines[end - 1]!.startsWith('#'))) end--
  const head = lines[at]!.replace(/^(alerts\s*:)\s*(\[\s*\]|null|~)?\s*$/, '$1')
  const indented = lines.slice(at + 1, end).find((l) => /^\s*- /.test(l))
  const indent = indented === undefined ? '  ' : indented.slice(0, indented.indexOf('-'))
  const own = rule.trimEnd().split('\n').map((l) => indent + l.slice(2))
  return [...lines.slice(0, at), head, ...lines.slice(at + 1, end), ...own, ...lines.slice(end)].join('\n')
}

/** The states of a delivery, in a word or two. */
export const states: Record<string, string> = { waiting: 'waits', sent: 'arrived', failed: 'failed', held: 'held', summarised: 'in a summary', cancelled: 'cancelled' }
