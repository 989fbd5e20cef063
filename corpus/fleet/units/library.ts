//@ pontoon
export class PontoonError extends Error {
  constructor(message: string) { super(message); this.name = 'PontoonError' }
}
//@
export function invariant(ok: unknown, message: string): asserts ok {
  if (!ok) throw new PontoonError(message)
}
//@
export function need<T>(value: T | null | undefined, what: string): T {
  if (value === null || value === undefined) throw new PontoonError(`${what} is missing`)
  return value
}
//@
export interface Column<R> { key: keyof R & string; title: string; width?: number }
//@
export class Grid<R extends Record<string, unknown>> {
  rows: R[] = []
  constructor(readonly columns: Column<R>[]) { invariant(columns.length > 0, 'a grid needs columns') }
  get widest(): number { return this.columns.reduce((a, c) => Math.max(a, c.width!.valueOf()), 0) }
  add(row: R) { this.rows.push(row); return this }
  cell(row: number, key: string): string { return String((this.rows[row] as Record<string, { toString(): string }>)[key].toString()) }
  sortBy(key: keyof R & string) { this.rows.sort((a, b) => (a[key] as string).localeCompare(b[key] as string)); return this }
  *pages(size: number): Generator<R[]> {
    if (size <= 0) throw new RangeError(`a page of ${size} rows`)
    for (let i = 0; i < this.rows.length; i += size) yield this.rows.slice(i, i + size)
  }
}
//@
export function memo<A, B>(make: (a: A) => B): (a: A) => B {
  const seen = new Map<A, B>()
  return a => {
    if (!seen.has(a)) seen.set(a, make(a))
    return seen.get(a)!
  }
}
//@
export function formatMoney(cents: number, currency: string): string {
  return new Intl.NumberFormat('en', { style: 'currency', currency }).format(cents / 100)
}
//@
export class Emitter {
  private on = new Map<string, ((value: unknown) => void)[]>()
  listen(name: string, f: (value: unknown) => void) { this.on.set(name, [...(this.on.get(name) ?? []), f]) }
  emit(name: string, value: unknown) { for (const f of this.on.get(name)!) f(value) }
}
//@
export function reported(error: unknown) {
  const sink = (globalThis as unknown as { sink(e: unknown): void }).sink
  sink(error)
}
