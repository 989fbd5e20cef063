/** The settings of a project as texts in a form, and what of them changed. */

export interface Settings {
  origins: string
  keepDays: string
  keepSymbols: string
  minute: string
  day: string
  order: string
  logs: string
  countries: string
  cutOff: string
  repository: string
  link: string
}

interface Project {
  origins?: string[] | null
  keep_days: number
  keep_symbols: number
  allowance: { minute: number; day: number }
  release_order: string
  log_messages: string
  locate_users?: boolean
  cut_off_crashes?: boolean
  repository?: string
  commit_link?: string
}

export function settingsOf(p: Project): Settings {
  return {
    origins: (p.origins ?? []).join('\n'), keepDays: String(p.keep_days), keepSymbols: String(p.keep_symbols), minute: String(p.allowance.minute), day: String(p.allowance.day),
    order: p.release_order, logs: p.log_messages, countries: p.locate_users ? 'on' : 'off', cutOff: p.cut_off_crashes ? 'crashed' : 'not', repository: p.repository ?? '', link: p.commit_link ?? '',
  }
}

/** What to ask for so that the settings become what they are now; wrong says what cannot be. */
export function changesOf(before: Settings, now: Settings): { body: Record<string, unknown>; wrong: string } {
  const body: Record<string, unknown> = {}
  const wrong: string[] = []
  const whole = (name: keyof Settings, field: string, words: string, least: number, most: number) => {
    if (now[name] === before[name]) return
    const n = Number(now[name])
    if (now[name].trim() === '' || !Number.isInteger(n) || n < least || n > most) wrong.push(`${words}: write a whole number from ${least} to ${most.toLocaleString('en-GB')}.`)
    else body[field] = n
  }
  whole('keepDays', 'keep_days', 'Days', 1, 365)
  whole('keepSymbols', 'keep_symbols', 'Days of symbols', 1, 3650)
  whole('minute', 'allowance_minute', 'Events a minute', -1, 4_000_000_000)
  whole('day', 'allowance_day', 'Events a day', -1, 4_000_000_000)
  if (now.countries !== before.countries) body.locate_users = now.countries === 'on'
  if (now.cutOff !== before.cutOff) body.cut_off_crashes = now.cutOff === 'crashed'
  const words: [keyof Settings, string][] = [['order', 'release_order'], ['logs', 'log_messages'], ['repository', 'repository'], ['link', 'commit_link']]
  for (const [name, field] of words) if (now[name].trim() !== before[name]) body[field] = now[name].trim()
  const origins = now.origins.split('\n').map((o) => o.trim()).filter(Boolean)
  if (origins.join('\n') !== before.origins) {
    const bad = origins.find((o) => o !== '*' && !/^https?:\/\/[^/\s]+$/.test(o))
    if (bad) wrong.push(`${bad} is no origin: write it like https://quayside.example, without a path.`)
    else body.origins = origins
  }
  return { body, wrong: wrong.join(' ') }
}
