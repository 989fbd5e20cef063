/**
 * A search as text and as terms: two views of one thing. The text is what counts; terms
 * are read from it and written back into it. The language is that of core/query; what is
 * wrong with a search the service says.
 */

export interface Term {
  /** As it is written. */
  text: string
  /** Where it stands in the search, in characters from 0. */
  from: number
  to: number
  negated: boolean
  /** Of a name with values: the name, and the values as they were meant. */
  name?: string
  values?: string[]
}

/** The parts of a search that must all hold. Alternatives without brackets are one part. */
export function terms(search: string): Term[] {
  const parts = pieces(search)
  if (parts.some((p) => p.text === 'OR')) return [{ text: search.trim(), from: search.length - search.trimStart().length, to: search.trimEnd().length, negated: false }]
  return parts.map((p) => ({ ...p, ...inside(p.text) }))
}

/** The pieces between the spaces that stand in no quotes and no brackets. */
function pieces(search: string): { text: string; from: number; to: number }[] {
  const out: { text: string; from: number; to: number }[] = []
  let from = -1
  let open = 0
  let quoted = false
  for (let i = 0; i <= search.length; i++) {
    const c = search[i] ?? ' '
    if (i === search.length || (!quoted && open <= 0 && /\s/.test(c))) {
      if (from >= 0) out.push({ text: search.slice(from, i), from, to: i })
      from = -1
      continue
    }
    if (from < 0) from = i
    if (quoted && c === '\\') i++
    else if (c === '"') quoted = !quoted
    else if (!quoted && c === '(') open++
    else if (!quoted && c === ')') open--
  }
  return out
}

/** What a term says: its name and values, where it is one. */
function inside(text: string): { negated: boolean; name?: string; values?: string[] } {
  const negated = text.startsWith('-') && text.length > 1
  const [name, rest] = word(negated ? text.slice(1) : text, ':')
  if (rest[0] !== ':' || !name || (negated ? text[1] : text[0]) === '(' || /^:[<>]/.test(rest)) return { negated }
  const values: string[] = []
  let left = rest
  while (left[0] === ':' || left[0] === ',') {
    const [value, after] = word(left.slice(1), ',')
    values.push(value)
    left = after
  }
  return { negated, name, values }
}

/** Reads a word, in quotes or up to one of some characters; and what comes after it. */
function word(text: string, ends: string): [string, string] {
  if (text[0] !== '"') {
    const i = [...text].findIndex((c) => ends.includes(c))
    const at = i < 0 ? text.length : [...text].slice(0, i).join('').length
    return [text.slice(0, at), text.slice(at)]
  }
  let out = ''
  let i = 1
  for (; i < text.length && text[i] !== '"'; i++) {
    if (text[i] === '\\' && (text[i + 1] === '"' || text[i + 1] === '\\')) i++
    out += text[i]
  }
  return [out, text.slice(i + 1)]
}

/** Whether a text can stand without quotes, where some characters end it. */
function plain(text: string, ends: string): boolean {
  let open = 0
  for (const c of text) {
    if (/\s/.test(c) || ends.includes(c)) return false
    if (c === '(') open++
    if (c === ')' && --open < 0) return false
  }
  return text !== '' && open === 0
}

const quote = (text: string): string => `"${text.replace(/[\\"]/g, '\\$&')}"`

/** A value as a search has it. */
export const written = (value: string): string => (!value.includes('..') && plain(value, ',"*') && !/^[<>]/.test(value) ? value : quote(value))

const nameWritten = (name: string): string => (plain(name, ':"') && !/^[-(]/.test(name) ? name : quote(name))

/** One term of a name and values. */
export const term = (name: string, values: string[], negated = false): string => `${negated ? '-' : ''}${nameWritten(name)}:${values.map(written).join(',')}`

/** The term of all that have no value of a name. */
export const absent = (name: string): string => `-${nameWritten(name)}:*`

/** The term of the values that have a text in them; of a text that needs quotes, of that value alone. */
export const holding = (name: string, text: string): string => `${nameWritten(name)}:${written(text) === text ? `*${text}*` : quote(text)}`

/** A search and one term more. */
export const withTerm = (search: string, more: string): string => {
  const text = search.trim()
  if (!text) return more
  return terms(text).some((t) => t.text === more) ? text : `${terms(text).length === 1 && pieces(text).length > 1 ? `(${text})` : text} ${more}`
}

/** A search without one of its terms. */
export const withoutTerm = (search: string, t: Term): string => `${search.slice(0, t.from).trimEnd()} ${search.slice(t.to).trimStart()}`.trim()

/** Whether a search asks for a value, or excludes it. */
export const asks = (search: string, name: string, value: string, negated: boolean): boolean => terms(search).some((t) => t.negated === negated && t.name === name && (t.values ?? []).includes(value))

/**
 * A search narrowed to a value, or without it; a second time takes that back. A value
 * beside others of the same name joins them where both exclude.
 */
export function toggled(search: string, name: string, value: string, negated: boolean): string {
  const all = terms(search)
  const has = all.find((t) => t.negated === negated && t.name === name && t.values)
  if (!has?.values) return withTerm(search, term(name, [value], negated))
  const rest = has.values.includes(value) ? has.values.filter((v) => v !== value) : negated ? [...has.values, value] : [value]
  const base = withoutTerm(search, has)
  return rest.length > 0 ? withTerm(base, term(name, rest, negated)) : base
}

/** The words of an old address, which all had to occur, as a search. */
export const ofWords = (text: string): string => text.split(/\s+/).filter(Boolean).map((w) => (plain(w, ':"') && w !== 'OR' && !/^[-(]/.test(w) ? w : quote(w))).join(' ')

/** Whether a search can be tried while it is typed: words alone. */
export const onlyWords = (search: string): boolean => !/[:"()]|\bOR\b|^-|\s-/.test(search)

/** A search in which what an error is about is replaced by what was meant. Columns count from 1. */
export function mended(search: string, column: number, nearest: string): string {
  const chars = [...search]
  let to = column - 1
  while (to < chars.length && !/[\s:,)]/.test(chars[to] ?? ' ')) to++
  return chars.slice(0, column - 1).join('') + nearest + chars.slice(to).join('')
}
