import DefaultBerth, { Berth, Buoy, DeepBerth, makeClass, Named } from './berth.js'
import * as f from './functions.js'
import './packages.js'
import { here } from './here.js'

async function round() {
  const b = Berth.of('Kestrel Quay')
  b.depth = b.depth + 1
  b.onMoor()
  await Berth.open('North Pier')
  await b.assign('Marrow')
  for (const _ of b.slots()) here()
  for await (const _ of b.tides()) here()
  b.computedName(); b['quoted name'](); b[42](); b.get(); b.set(); b.static(); b.async(); b.delete(); String(b)
  const d = new DeepBerth('Deep')
  d.depth = d.depth
  await d.assign('Sound')
  new Buoy().ring(); new Named().light(); new (makeClass(Berth))('x').extra(); new DefaultBerth().unnamed()
  f.declared(2); await f.declaredAsync(); [...f.declaredGenerator()]
  f.arrow(); f.arrowBody(1); f.concise(1); f.concise(3); f.expression(); f.namedExpression(1); f.later(); f.maybe()
  const t = f.table
  t.method(); await t.asyncMethod(); [...t.generatorMethod()]; t.total = t.total; t.property(); t.arrowProperty(); t['quoted-property'](); t.computed(); [...t]
  t.nested.deep.leaf(); t.in(); t[10](); t.assigned(); t.nested.assigned(); t.bracket()
  const p = f.Pier.create('South'); p.moor('x'); p.cast('y'); p.own(); p.mixed(); p.length
  f.callbacks([3, 1, 2]); f.nestedHelpers(2); f.curry(1)(2)(3); f.wrapped(); f.ternary(); f.comma(); f.iife(); f.regexes('a/b'); f.regexes('ab'); f.labelled(1)
  f.useTag(); f.optional.call(() => { here() }); await f.loops([1, 2]); f.default()
  await new Promise(done => setTimeout(() => { here(); done() }, 1))
  await new Promise(done => queueMicrotask(function tick() { here(); done() }))
}

await round()
await globalThis.harbourPackages?.()
console.log(JSON.stringify(globalThis.harbourFrames()))
