// Functions of every kind that TypeScript has, each of which notes where it is.
import { here } from './here'

type Reader<T> = (row: T, index?: number) => void
type Handler = { name: string; run: (n: number) => number }
interface Rows<T extends object = {}> { each(read: Reader<T>): void; readonly length: number }

export function declared(n: number): number { here(); return n > 0 ? declared(n - 1) : n }
export function overloaded(n: number): number
export function overloaded(s: string): string
export function overloaded(x: number | string): number | string { here(); return x }
export function generic<T extends { id: number }, K extends keyof T = keyof T>(row: T, key: K): T[K] { here(); return row[key] }
export const arrow = <T,>(x: T): T => { here(); return x }
export const constrained = <T extends unknown[]>(...list: T): T['length'] => (here(), list.length)
export const typed: (n: number) => number = (n) => { here(); return n }
export const returns = (n: number): { rows: number[]; read: (r: number) => void } => ({ rows: [n], read: (r: number) => { here(r) } })
export const predicate = (x: unknown): x is string => { here(); return typeof x === 'string' }
export function asserts(x: unknown): asserts x is number { here(); if (typeof x !== 'number') throw new TypeError('no number') }
export const satisfied = { name: 'a', run: n => { here(); return n } } satisfies Handler
export const asConst = { list: ['a'] as const, pick(this: { list: readonly string[] }, i: number) { here(); return this.list[i]! } }
export const cast = ((n: number) => { here(); return n }) as (n: number) => number
export function defaults(read: Reader<number> = (n) => { here(n) }, { make = () => { here(); return 1 }, more: [first = function () { here(); return 2 }] = [] }: { make?: () => number; more?: (() => number)[] } = {}): number { read(1); return make() + first() }
export const ternary = (n: number) => n > 1 ? (here(), n as number) : (here(), (n) satisfies number)
export const optional = { call: undefined as undefined | ((n?: number) => void) }
optional.call = (n?: number) => { here(n) }
export const curried = (a: number) => (b: number) => <C,>(c: C): [number, number, C] => { here(); return [a, b, c] }
export const once = <A extends unknown[], R>(f: (...args: A) => R): ((...args: A) => R) => { let done: { v: R } | undefined; return (...args) => { here(); return (done ??= { v: f(...args) }).v } }
export const wrapped = once((n: number) => { here(); return n })
export const setUp = (function prepare<T>(this: void, x: T) { here(); return () => { here(); return x } })('quay')
export const typedInside = (rows: Array<Map<string, number>>): number => rows.reduce((sum, row) => { here(); return sum + [...row.values()].reduce<number>((a, b) => { here(); return a + b }, 0) }, 0)
export const less = (a: number, b: number, c: number) => { here(); return a < b && b > (c) ? 1 : (() => { here(); return 2 })() }

export async function declaredAsync(n: number): Promise<number> { here(); await null; here(); return n }
export const arrowAsync = async <T,>(x: T): Promise<T> => { here(); await null; here(); return x }
export const asyncName = async (n: number) => { const inner = async () => { here(); await 0; here(); return n }; return await inner() }
export function* generator(n: number): Generator<number, void, undefined> { here(); for (let i = 0; i < n; i++) { here(); yield i } }
export async function* asyncGenerator(n: number): AsyncGenerator<number> { for (let i = 0; i < n; i++) { here(); yield await Promise.resolve(i); here() } }
export async function tries(): Promise<void> {
  try { here(); await Promise.reject(new RangeError('depth')) } catch (e: unknown) { here(e) } finally { here() }
  for await (const n of asyncGenerator(2)) { here(n) }
  await Promise.all([1, 2].map(async (n) => { here(); await null; here(n) }))
}

export enum Tide { Low = 1, High = Low << 1, Spring = tideOf('spring') }
export function tideOf(name: string): number { here(); return name.length }
export const enum Side { Port, Starboard }
export namespace Buoy {
  export const light = (n: number): number => { here(); return n }
  export function horn(): number { here(); return Side.Port }
  export namespace Deep { export const sound = function () { here(); return [1].map((n) => { here(); return n })[0] } }
}
export const table: Record<string, (n: number) => number> & { [Symbol.iterator]?: () => IterableIterator<number> } = {
  method(n) { here(); return n },
  property: function (n) { here(); return n },
  'quoted-name': (n) => { here(); return n },
  ['comp' + 'uted']: (n: number) => { here(); return n },
  get getter() { here(); return (n: number) => { here(); return n } },
  async *[Symbol.asyncIterator]() { here(); yield 1 },
} as never
table[Symbol.iterator as never] = function* () { here(); yield 1 } as never
table.assigned = (n: number) => { here(); return n }
export default function <T>(x: T): T { here(); return x }

export function callbacks(rows: Rows<{ id: number }> | { id: number }[]) {
  const list = rows as { id: number }[]
  return list.map(({ id }) => { here(); return id }).filter(function (n): n is number { here(); return n > 0 }).sort((a, b) => (here(), a - b)).reduce<number>((a: number, b: number): number => { here(); return a + b }, 0)
}
export function nested(n: number) {
  function helper<T extends number>(m: T) { here(); return m * 2 }
  const twice = (m: number): number => { here(); return helper(helper(m)) }
  class Local { constructor(readonly n: number) { here() } double = () => { here(); return this.n * 2 } }
  return twice(n) + new Local(n).double()
}
export const tagged = (strings: TemplateStringsArray, ...values: unknown[]) => { here(); return strings.raw.join() + values }
export const usesTag = () => tagged`x${(() => { here(); return 1 })()}y${<T,>(x: T) => x}`
export async function everything(): Promise<void> {
  declared(1); overloaded(1); overloaded('a'); generic({ id: 1 }, 'id'); arrow(1); constrained(1, 2); typed(1); returns(1).read(2); predicate('a'); asserts(1)
  satisfied.run(1); asConst.pick(0); cast(1); defaults(); ternary(1); ternary(2); optional.call!(1); curried(1)(2)(3); wrapped(1); setUp(); typedInside([new Map([['a', 1]])]); less(1, 2, 1)
  await declaredAsync(1); await arrowAsync(1); await asyncName(1); for (const n of generator(1)) here(n)
  await tries(); here(Tide.Low); Buoy.light(1); Buoy.horn(); Buoy.Deep.sound()
  for (const key of ['method', 'property', 'quoted-name', 'computed', 'assigned']) table[key]!(1)
  table.getter!(1); for (const n of table as never as Iterable<number>) here(n)
  for await (const n of table as never as AsyncIterable<number>) here(n)
  callbacks([{ id: 2 }, { id: 1 }]); nested(2); usesTag()
}
