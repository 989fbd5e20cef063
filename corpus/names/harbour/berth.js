// Classes: members of every kind. here() notes the stack of whoever calls it.
import { here } from './here.js'

export class Berth {
  #lines = 0
  static count = 0
  name
  onMoor = () => { here(); return this.#tie() }
  static { here(); Berth.count = 0 }

  constructor(name, free = here()) {
    here()
    this.name = name
    this.free = free
    Berth.count++
  }
  static of(name) { here(); return new Berth(name) }
  static async open(name) { here(); await null; here(); return Berth.of(name) }
  get depth() { here(); return 7 }
  set depth(metres) { here(metres) }
  get #secret() { here(); return 1 }
  #tie() { here(); return ++this.#lines + this.#secret }
  async assign(ferry) { here(ferry); await null; here(); return ferry }
  *slots() { here(); yield 1; here(); yield 2 }
  async *tides() { here(); yield 'low'; here(); yield 'high' }
  ['computed' + 'Name']() { here(); return 3 }
  'quoted name'() { here(); return 4 }
  42() { here(); return 5 }
  get() { here(); return 6 }
  set() { here(); return 7 }
  static() { here(); return 8 }
  async() { here(); return 9 }
  delete() { here(); return 10 }
  toString() { here(); return `berth ${[1].map(n => { here(); return n })}` }
}

export class DeepBerth extends Berth {
  constructor(name) {
    super(name)
    here()
  }
  get depth() { here(); return super.depth + 5 }
  set depth(v) { super.depth = v }
  assign(ferry) {
    here()
    return super.assign(ferry)
  }
}

export const Buoy = class {
  constructor() { here() }
  ring() { here(); return 'ding' }
}
export const Named = class Lantern {
  light() { here(); return 'on' }
}
export const makeClass = base => class extends base {
  extra() { here(); return 1 }
}
export default class {
  unnamed() { here(); return 2 }
}
