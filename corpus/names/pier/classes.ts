// Classes with every kind of member.
import { here } from './here'

function noted(_target: object, _name: string | symbol, d: PropertyDescriptor): PropertyDescriptor {
  const real = d.value as (...args: unknown[]) => unknown
  return { ...d, value: function (this: unknown, ...args: unknown[]) { here(); return real.apply(this, args) } }
}
const kept = <T extends abstract new (...args: any[]) => object>(c: T): T => { here(); return c }

export abstract class Vessel<T = unknown> {
  static #built = 0
  static readonly yard: string = Vessel.nameOf('yard')
  static { here(); Vessel.#built += 1; [1].forEach(() => { here() }) }
  #name: string
  protected cargo?: T[]
  onMoor = (quay: string): string => { here(); return this.#name + quay }
  onCast: () => void = function (this: Vessel) { here() }
  private readonly rows = [1, 2].map((n) => { here(); return n })
  constructor(name: string, protected readonly log: (s: string) => void = (s) => { here(s) }) { this.#name = name; here(); this.log(name); this.#secret() }
  static nameOf(s: string): string { here(); return s }
  static async create<V>(make: () => V): Promise<V> { here(); await null; here(); return make() }
  abstract draught(): number
  get name(): string { here(); return this.#name }
  set name(v: string) { here(v); this.#name = v }
  #secret(): number { here(); return this.#hidden }
  get #hidden(): number { here(); return this.rows.length }
  static get built(): number { here(); return this.#built }
  *[Symbol.iterator](): IterableIterator<number> { here(); yield 1 }
  async *stops(n: number): AsyncGenerator<number> { here(); yield n; await null; here() }
  async moor<Q extends string>(quay: Q): Promise<Q> { here(); await null; here(); return (async () => { here(); await null; here(); return quay })() }
  literal(): number { here(); return 3 }
  'with-dash'(): number { here(); return 4 }
}

export class Ferry extends Vessel<string> implements Iterable<number> {
  declare readonly extra: string
  decks = 2
  static cache = new Map<string, () => Ferry>()
  static of = (name: string): Ferry => { here(); return new Ferry(name) }
  constructor(name: string) { super(name); here(); this.decks = this.count((n: number): n is number => { here(); return n > 0 }) }
  draught(): number { here(); return super['with-dash']() }
  count(is: (n: number) => boolean): number { here(); return [1, 2].filter(is).length }
  @noted board(seats: number, by: { name?: string } = {}): number { here(by); return seats }
  override async moor<Q extends string>(quay: Q): Promise<Q> { here(); const q = await super.moor(quay); here(); return q }
}

const Lit = <B extends new (...args: any[]) => object>(Base: B) => class extends Base { shine = () => { here(); return 1 }; dim(): number { here(); return 0 } }
export const LitFerry = Lit(Ferry)
export const Unnamed = kept(class { run(): number { here(); return 1 } static make() { here(); return new this() } })
export default class { swing(): number { here(); return 1 } static arm = () => { here(); return 2 } }

export function Pier(this: { list: number[]; add?: (n: number) => void }, n: number) { here(); this.list = [n]; this.add = (m) => { here(m) } }
Pier.prototype.count = function (this: { list: number[] }) { here(); return this.list.length }
Pier.open = (n: number) => { here(); return new (Pier as never as new (n: number) => { add(n: number): void; count(): number })(n) }

export class Fault extends Error { constructor(message: string, readonly code: number, options?: { cause?: unknown }) { super(message); here(options); this.name = 'Fault' } static from(e: unknown): Fault { here(); return new Fault(String(e), 1, { cause: e }) } }

export async function everything(Anchor: { new (): { swing(): number }; arm(): number }): Promise<void> {
  const f = Ferry.of('Eider')
  f.onMoor('a'); f.onCast(); f.name = f.name + '1'; f.draught(); f.board(3); here(Vessel.built)
  ;(f as never as { literal(): number }).literal(); await f.moor('a'); await Ferry.create(() => { here(); return 1 })
  for (const n of f) here(n)
  for await (const n of f.stops(1)) here(n)
  const l = new LitFerry('Tern') as never as { shine(): number; dim(): number }
  l.shine(); l.dim(); Unnamed.make().run(); new Anchor().swing(); Anchor.arm()
  const p = Pier.open(1); p.add(2); p.count(); Fault.from('x')
}
