/** What can be written at a place of a rules file. */

export interface Word {
  name: string
  doc: string
}

export interface Option {
  label: string
  detail: string
  apply: string
}

export interface Suggestion {
  from: number
  options: Option[]
}

const sections: Record<string, string> = {
  intake: 'which events are accepted', scrub: 'what is scrubbed in addition to secrets', frames: 'whose code frames are', grouping: 'which events belong together',
}

/** The fields of a rule, by section. */
const fields: Record<string, Record<string, string>> = {
  intake: { name: 'the name it is counted by', when: 'a condition in CEL', do: 'drop or keep' },
  scrub: { name: 'the name it is counted by', names: 'globs over a field', kinds: 'kinds of secret', match: 'a regular expression', do: 'remove, shorten or keep' },
  frames: { name: 'the name it is counted by', path: 'globs over the readable path', module: 'globs over package, class or path', function: 'globs over the function', do: 'own, vendor or look-through' },
  grouping: { name: 'the name it is counted by', when: 'a condition in CEL', extend: 'added to the computed fingerprint', replace: 'instead of the computed fingerprint', headline: 'the title of the issue' },
}

const choices: Record<string, Record<string, string>> = {
  intake: { drop: 'the event is counted and dropped', keep: 'whatever rules below say' },
  scrub: { remove: 'replaced by [scrubbed]', shorten: 'the part that does not identify a person stays', keep: 'left as it is' },
  frames: { own: 'code of the application', vendor: 'code of a dependency', 'look-through': 'own code that fails on behalf of its callers' },
}

/** The fields of what conditions see, by the name before the dot. */
const members: Record<string, string[]> = {
  exception: ['type', 'message', 'thrown'], x: ['type', 'message', 'thrown'], origin: ['function', 'module', 'path', 'file', 'line', 'kind'], f: ['function', 'module', 'path', 'file', 'line', 'kind'], b: ['kind', 'message', 'severity'],
}
const ofText = ['glob("")', 'matches("")', 'contains("")', 'startsWith("")', 'endsWith("")', 'lower()', 'shape()']
const ofList = ['exists(x, )', 'all(x, )', 'filter(x, )', 'size()']
const lists = ['exceptions', 'frames', 'breadcrumbs', 'messages', 'said']

/** The section that a place stands in; "" at the top. */
export function sectionAt(text: string, pos: number): string {
  let found = ''
  for (const line of text.slice(0, pos).split('\n')) {
    const m = /^([a-z]+):/.exec(line)
    if (m) found = m[1] ?? ''
  }
  return found
}

const options = (of: Record<string, string>, apply: (name: string) => string): Option[] => Object.entries(of).map(([label, detail]) => ({ label, detail, apply: apply(label) }))

/** What fits at a place; null when nothing is known of it. */
export function suggest(text: string, pos: number, words: Word[]): Suggestion | null {
  const start = text.lastIndexOf('\n', pos - 1) + 1
  const line = text.slice(start, pos)
  const section = sectionAt(text, start)
  const typed = /[\w-]*$/.exec(line)?.[0] ?? ''
  const from = pos - typed.length
  if (/^[a-z]*$/.test(line)) return { from, options: options(sections, (n) => `${n}:\n  - name: `) }
  if (/^\s+(- )?[a-z]*$/.test(line)) return fields[section] ? { from, options: options(fields[section], (n) => `${n}: `) } : null
  if (/^\s+(- )?do:\s*[\w-]*$/.test(line)) return choices[section] ? { from, options: options(choices[section], (n) => n) } : null
  const expression = /^\s+(- )?when:/.test(line) || inside(line) || within(text, start)
  return expression ? inCondition(line, from, words) : null
}

/** Whether a ${ before the end of a line is not closed. */
function inside(line: string): boolean {
  return line.lastIndexOf('${') > line.lastIndexOf('}')
}

/** Whether a line goes on a condition of several lines. */
function within(text: string, start: number): boolean {
  const before = text.slice(0, start).split('\n').slice(0, -1).reverse()
  for (const l of before) {
    if (/^\s+(- )?when:\s*[|>]/.test(l)) return true
    if (/^\s*(- )?[a-z]+:/.test(l)) return false
  }
  return false
}

function inCondition(line: string, from: number, words: Word[]): Suggestion {
  const m = /(\w+)(\))?\.\w*$/.exec(line)
  if (m) {
    const before = m[1] ?? ''
    const names = lists.includes(before) ? ofList : [...(members[before] ?? []), ...(members[before] ? [] : ofText)]
    return { from, options: names.map((n) => ({ label: n.replace(/\(.*/, ''), detail: '', apply: n })) }
  }
  return {
    from,
    options: words
      .filter((w) => /^[a-z_]+(\(|$)/.test(w.name))
      .map((w) => ({ label: w.name.replace(/\(.*/, ''), detail: w.doc, apply: w.name.includes('(') ? `${w.name.replace(/\(.*/, '')}(""` + ')' : w.name })),
  }
}
