/**
 * Commands that people copy into a shell. What comes from events, builds and
 * people stands in them as one harmless word, whatever it holds. The service
 * writes them by the same rules (internal/core/shell).
 */

/** Characters that a terminal acts on, or that turn the direction of text. */
const unseen = /[\p{Cc}\p{Cf}\p{Zl}\p{Zp}]/u

/** Quotes a word for a POSIX shell. */
export function shell(word: string): string {
  if (/^[\w@%+:,./-]+$/.test(word)) return word
  if (unseen.test(word)) return `$'${[...word].map(escaped).join('')}'`
  return `'${word.replaceAll("'", `'\\''`)}'`
}

function escaped(c: string): string {
  if (c === "'" || c === '\\') return '\\' + c
  if (c === '\n') return '\\n'
  if (c === '\t') return '\\t'
  if (!unseen.test(c)) return c
  return [...new TextEncoder().encode(c)].map((b) => '\\' + b.toString(8).padStart(3, '0')).join('')
}

/** An option with its value; a value that begins with a dash is tied to it. */
export function option(name: string, value: string): string {
  return value.startsWith('-') ? `${name}=${shell(value)}` : `${name} ${shell(value)}`
}

/** What stands behind the options; a word that begins with a dash is set apart by "--". */
export function args(...words: string[]): string {
  const first = words.findIndex((w) => w.startsWith('-'))
  const quoted = words.map(shell)
  if (first >= 0) quoted.splice(first, 0, '--')
  return quoted.join(' ')
}
