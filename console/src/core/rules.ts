/** What the rules page says and where it points. */

export interface Place {
  line: number
  column: number
}

/** Where a fault stands in the text, and up to where it is underlined: the word that begins there. */
export function span(text: string, at: Place): { from: number; to: number } {
  const lines = text.split('\n')
  let from = 0
  for (let i = 0; i < Math.min(at.line - 1, lines.length - 1); i++) from += (lines[i]?.length ?? 0) + 1
  const line = lines[Math.min(at.line, lines.length) - 1] ?? ''
  const before = [...line].slice(0, at.column - 1).join('').length // columns count characters, not code units
  from += Math.min(before, line.length)
  const word = /^[\w.-]+|^[^\s]+/.exec(text.slice(from))
  return { from, to: from + (word?.[0].split('\n')[0]?.length ?? 0) }
}

/** Where a text first differs from another one. */
export function firstChange(before: string, after: string): number {
  let i = 0
  while (i < after.length && before[i] === after[i]) i++
  return after.lastIndexOf('\n', i - 1) + 1
}

/** "1,204 of 2,000 events would be accepted, 796 dropped". */
export function verdict(events: number, kept: number): string {
  if (events === 0) return 'No stored event to try them on yet.'
  const n = (v: number) => v.toLocaleString('en-GB')
  const dropped = events - kept
  if (dropped === 0) return `All ${n(events)} events would be accepted.`
  return `${n(kept)} of ${n(events)} events would be accepted, ${n(dropped)} dropped.`
}

/** What stands in the editor of a project that has no rules yet. */
export const example = `# Within a section the first rule that fits decides.
intake:
  - name: crawlers
    when: crawler(attr("user_agent.original"))
    do: drop
  - name: browser extensions
    when: frames.exists(f, extension(f.file))
    do: drop
scrub:
  - name: e-mail addresses
    kinds: email
    do: shorten
`
