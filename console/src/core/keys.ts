/**
 * What keys do, where, and how the help says it. Bindings and the help are both made
 * from this table: a key stands in it once for each place where it works. Those of
 * rules are explained here and bound by the editor, which has the text.
 */
export interface Key {
  /** As KeyboardEvent.key names them; the first is shown beside the button. */
  keys: readonly string[]
  words: string
}

const decisions = {
  accept: { keys: ['a'], words: 'accept' },
  assign: { keys: ['s'], words: 'assign' },
  park: { keys: ['p'], words: 'park' },
  fix: { keys: ['f'], words: 'mark fixed' },
  dismiss: { keys: ['d'], words: 'dismiss' },
  merge: { keys: ['m'], words: 'merge' },
  raise: { keys: ['+'], words: 'raise the severity' },
  lower: { keys: ['-'], words: 'lower the severity' },
  undo: { keys: ['z'], words: 'undo' },
} as const

export const keyTable = {
  decide: { ...decisions, reopen: { keys: ['o'], words: 'reopen' }, split: { keys: ['t'], words: 'split (on the page of an issue)' } },
  list: {
    next: { keys: ['j', 'ArrowDown'], words: 'next issue' },
    previous: { keys: ['k', 'ArrowUp'], words: 'previous issue' },
    open: { keys: ['Enter'], words: 'open the issue' },
    mark: { keys: ['x'], words: 'mark the row: decisions are about all marked rows' },
    markAll: { keys: ['X'], words: 'mark all rows' },
    clear: { keys: ['Escape'], words: 'mark none' },
    showNew: { keys: ['n'], words: 'show new issues' },
  },
  issue: {
    older: { keys: ['j'], words: 'older event' },
    newer: { keys: ['k'], words: 'newer event' },
    raw: { keys: ['r'], words: 'raw trace and back' },
    broke: { keys: ['1'], words: 'where it broke' },
    who: { keys: ['2'], words: 'affected users' },
    when: { keys: ['3'], words: 'since when' },
    doing: { keys: ['4'], words: 'what was done' },
    comment: { keys: ['c'], words: 'comment' },
    ticket: { keys: ['T'], words: 'make, link or unlink a ticket' },
    watch: { keys: ['w'], words: 'watch, or stop watching' },
    back: { keys: ['Escape'], words: 'back to the list' },
  },
  events: {
    next: { keys: ['j', 'ArrowDown'], words: 'next event' },
    previous: { keys: ['k', 'ArrowUp'], words: 'previous event' },
    open: { keys: ['Enter'], words: 'open the event' },
  },
  round: {
    ...decisions,
    give: { keys: ['g'], words: 'assign it to who is proposed first' },
    comment: { keys: ['c'], words: 'comment' },
    ticket: { keys: ['T'], words: 'make, link or unlink a ticket' },
    later: { keys: ['j'], words: 'leave it for later' },
    previous: { keys: ['k', 'ArrowUp'], words: 'previous issue' },
    next: { keys: ['ArrowDown'], words: 'next issue' },
    open: { keys: ['Enter'], words: 'open the issue' },
    list: { keys: ['l'], words: 'one by one or as a list' },
    end: { keys: ['e'], words: 'end the round' },
  },
  projects: { round: { keys: ['Enter'], words: 'go to the round' } },
  trace: { back: { keys: ['Escape'], words: 'back' } },
  rules: { try: { keys: ['Ctrl Enter'], words: 'try' }, save: { keys: ['Ctrl s'], words: 'save' } },
  search: { facets: { keys: ['v'], words: 'facets: the values of attributes' } },
  everywhere: { search: { keys: ['/'], words: 'search' }, find: { keys: ['Ctrl k'], words: 'find anything: pages, issues, users, releases, searches, actions' }, help: { keys: ['?'], words: 'these keys' } },
} as const satisfies Record<string, Record<string, Key>>

export type Place = keyof typeof keyTable
export type Doing<P extends Place> = keyof (typeof keyTable)[P] & string

/** What each key of a place does now; what is left out does nothing. */
export type Does<P extends Place> = Partial<Record<Doing<P>, (() => void) | undefined>>

/** The key that is shown beside a button. */
export const keyOf = <P extends Place>(place: P, doing: Doing<P>): string => row(place, doing).keys[0] ?? ''

/** The bindings of a place: by key, what it does. */
export function bindings<P extends Place>(place: P, does: Does<P>): Record<string, (() => void) | undefined> {
  const out: Record<string, (() => void) | undefined> = {}
  for (const doing of Object.keys(does) as Doing<P>[]) for (const k of row(place, doing).keys) out[k] = does[doing]
  return out
}

const row = (place: Place, doing: string): Key => (keyTable[place] as Record<string, Key>)[doing] ?? { keys: [], words: '' }

const titles: Record<Place, string> = { projects: 'On the first page', list: 'In lists', events: 'In the table of events', issue: 'On an issue', decide: 'Decisions', round: 'In a round', trace: '', rules: 'Rules', search: 'Where something is searched', everywhere: 'Everywhere' }

/** The help: for each place its keys and what they do. Decisions have the same keys in a round and are said once. */
export function help(): { title: string; keys: { keys: string[]; words: string }[] }[] {
  const order: Place[] = ['projects', 'list', 'decide', 'issue', 'events', 'round', 'search', 'rules', 'everywhere']
  return order.map((place) => ({
    title: titles[place],
    keys: Object.entries(keyTable[place] as Record<string, Key>)
      .filter(([doing]) => place !== 'round' || !(doing in decisions))
      .map(([, k]) => ({ keys: k.keys.map(shown), words: k.words })),
  }))
}

const shown = (key: string): string => ({ ArrowDown: '↓', ArrowUp: '↑', Escape: 'Esc' })[key] ?? key
