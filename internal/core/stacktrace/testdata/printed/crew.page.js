// Errors of a crew list, as browsers print them: class members, callbacks,
// async functions, eval, generators, a getter, built-in functions.
class Roster {
  #crew = []
  static of(names) { const r = new Roster(); names.forEach(n => r.add(n)); return r }
  add(name) { this.#crew.push(name.toUpperCase()) }
  get first() { return this.#crew[0].length }
  * watches() { for (const n of this.#crew) yield n.missing.hour }
  async assign(watch) { await null; return this.pick(watch) }
  pick(watch) { return this.#crew[watch].trim() }
}
const plan = {
  'night watch'() { return null.hour },
  [Symbol.iterator]() { return eval('undefined.minute') },
}
const tries = {
  callback: () => Roster.of(['Mara', 7]),
  getter: () => new Roster().first,
  generator: () => [...Roster.of(['Ivo']).watches()],
  promise: () => Roster.of(['Ivo']).assign(3),
  quoted: () => plan['night watch'](),
  evaluated: () => [...plan],
  made: () => new Function('crew', 'return crew.ship.name')({}),
  timer: () => new Promise((_, failed) => setTimeout(function alarm() { try { JSON.parse('{') } catch (e) { failed(e) } }, 1)),
  deep: () => { const round = n => n === 0 ? [].reduce((a, b) => a) : round(n - 1); return round(3) },
}
const printed = {}
for (const [name, run] of Object.entries(tries)) {
  try { await run() } catch (e) { printed[name] = `${e}\n${e.stack.startsWith(String(e)) ? e.stack.slice(String(e).length + 1) : e.stack}` }
}
await fetch('/printed', { method: 'POST', body: JSON.stringify(printed) })
