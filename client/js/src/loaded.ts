import type { ReportedEvent } from './event.ts'

/** Where stamped bundles leave their debug ids: the stack of a line of the file → id. */
const registry = Symbol.for('firethorn.debugIds')

/** Adds the debug ids of those loaded files that the event's exceptions name. */
export function addSymbols(e: ReportedEvent): void {
  const ids = (globalThis as Record<symbol, unknown>)[registry] as Record<string, string> | undefined
  if (!ids) return
  const stacks = (e.exceptions ?? []).map((x) => x.stack ?? '').join('\n')
  const out: { file: string; debug_id: string }[] = []
  for (const [stack, debug_id] of Object.entries(ids)) {
    const file = /(?:\(|@|at )((?:https?|file|\/|app|capacitor)[^\s)]*?):\d+(?::\d+)?\)?/.exec(stack)?.[1]
    if (file && stacks.includes(file)) out.push({ file, debug_id })
  }
  if (out.length) e.symbols = out
}
