// Functions bound in every way the language names them, and those it does not.
import { here } from './here.js'

export function declared(n) { here(); return n > 0 ? declared(n - 1) : n }
export async function declaredAsync() { here(); await null; here() }
export function* declaredGenerator() { here(); yield 1; here() }
export const arrow = () => here()
export const arrowBody = (a, b = 2) => { here(); return a + b }
export const concise = n => n > 2 ? (here(), n) : (here(), -n)
export const expression = function () { here(); return 1 }
export const namedExpression = function inner(n) { here(); return n ? inner(n - 1) : 0 }
export let later
later = () => { here(); return 1 }
let maybe
maybe ??= () => { here(); return 2 }
maybe ||= () => { here(); return 3 }
export { maybe }

export const table = {
  method() { here(); return 1 },
  async asyncMethod() { here(); await null; here() },
  *generatorMethod() { here(); yield 1 },
  get total() { here(); return 2 },
  set total(v) { here(v) },
  property: function () { here(); return 3 },
  arrowProperty: () => { here(); return 4 },
  'quoted-property': () => { here(); return 5 },
  ['comp' + 'uted']: () => { here(); return 6 },
  [Symbol.iterator]: function* () { here(); yield 1 },
  nested: { deep: { leaf() { here(); return 7 } } },
  in: () => { here(); return 8 },
  10: () => { here(); return 9 },
}
table.assigned = function () { here(); return 10 }
table.nested.assigned = () => { here(); return 11 }
table['bracket'] = () => { here(); return 12 }

export function Pier(name) {
  here()
  this.name = name
  this.own = () => { here(); return 1 }
}
Pier.prototype.moor = function (ferry) { here(); return ferry }
Pier.prototype.cast = ferry => { here(); return ferry }
Pier.create = function (name) { here(); return new Pier(name) }
Object.assign(Pier.prototype, { mixed() { here(); return 2 } })
Object.defineProperty(Pier.prototype, 'length', { get() { here(); return 30 } })

export function callbacks(list) {
  here()
  return list
    .map(n => { here(); return n + 1 })
    .filter(function (n) { here(); return n > 1 })
    .sort((a, b) => (here(), a - b))
    .reduce(function sum(a, n) { here(); return a + n }, 0)
}
export function nestedHelpers(n) {
  function helper(m) { here(); return m * 2 }
  const twice = m => { here(); return helper(helper(m)) }
  const { missing = () => { here(); return 1 } } = {}
  const [other = function () { here(); return 2 }] = []
  return twice(n) + missing() + other()
}
export const curry = a => b => c => { here(); return a + b + c }
export const wrapped = once(() => { here(); return 5 })
export function once(f) { let done; return (...args) => { here(); return (done ??= { v: f(...args) }).v } }
export const ternary = Date.now() > 0 ? () => { here(); return 1 } : () => { here(); return 2 }
export const comma = (0, () => { here(); return 3 })
export const iife = (function setUp() { here(); return () => { here(); return 4 } })()
export const regexes = s => { here(); return /[/}'"`]+/.test(s) ? s.split(/\//).map(p => { here(); return p }) : `a${(() => { here(); return `b${s}}` })()}` }
export const labelled = n => { outer: for (const i of [1, 2]) { for (;;) { here(); if (i > n) break outer; continue outer } } return n }
export const tagged = (strings, ...values) => { here(); return strings.raw.join() + values }
export function useTag() { here(); return tagged`x${(() => { here(); return 1 })()}y` }
export const optional = { call: null }
optional.call = n => { here(); return n?.() }
export async function loops(list) {
  for await (const x of list) { here(x) }
  switch (list.length) { case 1: here(); break; default: { here() } }
  try { throw new TypeError('x') } catch { here() } finally { here() }
  await Promise.all(list.map(async x => { here(); await null; here(); return x }))
}
export default function () { here(); return 'default' }
