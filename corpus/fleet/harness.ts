// Meets every bug in every way, and says what was thrown, with what it came from.
interface Told { type?: string; message: string; stack?: string; thrown?: string; parent?: number; relation?: string }
function told(e: unknown): Told[] {
  const list: Told[] = []
  const add = (x: unknown, more: { parent?: number; relation?: string }) => {
    if (list.length >= 8 || x === undefined || x === null) return
    if (!(x instanceof Error)) { list.push({ message: String(x), thrown: typeof x, ...more }); return }
    const parent = list.push({ type: x.name, message: x.message, stack: x.stack ?? '', ...more }) - 1
    add((x as { cause?: unknown }).cause, { parent, relation: 'cause' })
    for (const y of (x as { errors?: unknown[] }).errors ?? []) add(y, { parent, relation: 'member' })
  }
  add(e, {})
  return list
}
export async function run(bugs: Record<string, (() => unknown)[]>) {
  const out: object[] = []
  for (const [bug, ways] of Object.entries(bugs)) {
    for (const way of ways) {
      let handled: unknown
      ;(globalThis as any).sink = (e: unknown) => { handled = e }
      try {
        await Promise.race([way(), new Promise(done => { setTimeout(done, 3000) })])
        out.push(handled ? { bug, handled: true, exceptions: told(handled) } : { bug, missed: true })
      } catch (e) {
        out.push({ bug, handled: false, exceptions: told(e) })
      }
    }
  }
  return out
}
