//@ timetable
export interface Sailing { ship: string; at: number; stops: { port: string; gate?: { code: string } }[] }
//@
export const ports: Record<string, { tides: number[] }> = { Eider: { tides: [1, 2, 3] }, Tern: { tides: [] } }
//@
export function tideAt(port: string, hour: number) {
  return ports[port].tides[hour].toFixed(1)
}
//@
export function lowestTide(port: string) {
  return ports[port].tides.reduce((a, b) => Math.min(a, b))
}
//@
export function drawTides(port: string) {
  return [0, 1, 2].map(h => tideAt(port, h)).join(' ')
}
//@
export function gateOf(sailing: Sailing, stop: number) {
  return sailing.stops[stop].gate!.code
}
//@
export function departure(sailing: Sailing) {
  return new Date(sailing.at).toISOString()
}
//@
export function nextStop(sailing: Sailing, port: string) {
  const i = sailing.stops.findIndex(s => s.port === port)
  if (i < 0) throw new RangeError(`${sailing.ship} does not call at ${port}`)
  return sailing.stops[i + 1]
}
//@
export function precise(minutes: number, digits: number) {
  return (minutes / 60).toFixed(digits)
}
//@
export function parseSchedule(text: string) {
  return JSON.parse(text) as Sailing[]
}
//@
export function readSchedules(texts: string[]) {
  return texts.flatMap(t => parseSchedule(t))
}
//@
export class Timetable {
  #sailings: Sailing[] = []
  static from(list: Sailing[]) { const t = new Timetable(); list.forEach(s => t.add(s)); return t }
  add(s: Sailing) {
    if (s.stops.length < 2) throw new RangeError(`sailing of ${s.ship} has ${s.stops.length} stops`)
    this.#sailings.push(s)
  }
  get first() { return this.#sailings[0].ship }
  set label(text: string) { if (text.length > 3) throw new TypeError(`label ${text} is too long`) }
  byPort = (port: string) => this.#sailings.filter(s => s.stops.some(x => x.port.normalize(port as 'NFC') === port));
  *[Symbol.iterator]() { for (const s of this.#sailings) yield s.stops[7].port }
  async refresh(load: () => Promise<Sailing[]>) {
    const list = await load()
    this.#sailings = list.map(s => ({ ...s, ship: s.ship.toUpperCase() }))
  }
}
//@
export function routeBetween(a: string, b: string, seen: string[] = []): string[] {
  if (a === b) return seen
  return [...routeBetween(a, b, [...seen.slice(-1), a]), a]
}
//@
export function crewRoster(hands: (string | null)[]) {
  return hands.sort((a, b) => a!.length - b!.length).map(h => h!.trim())
}
//@
export function onGate(events: Emitter) {
  events.listen('gate', value => { (value as { open(): void }).open() })
  return events
}
//@
export function onDelay(events: Emitter) {
  events.listen('delay', value => { events.emit('late:' + (value as { ship: { name: string } }).ship.name, value) })
  return events
}
//@
export function frozenPorts() {
  const list = Object.freeze(['Eider'])
  ;(list as string[]).push('Tern')
  return list
}
//@
export function berthTable() {
  const grid = new Grid<{ name: string }>([{ key: 'name', title: 'Name' }])
  return grid.widest
}
//@
export function emptyTable() {
  return new Grid<{ name: string }>([])
}
//@
export function crewTable(names: (string | undefined)[]) {
  const grid = new Grid<{ name: string | undefined }>([{ key: 'name', title: 'Name', width: 3 }])
  names.forEach(name => grid.add({ name }))
  return grid.sortBy('name')
}
//@
export function printTable(size: number) {
  const grid = new Grid<{ name: string }>([{ key: 'name', title: 'Name', width: 3 }])
  return [...grid.add({ name: 'x' }).pages(size)]
}
//@
export function cellOf(key: string) {
  return new Grid<{ name: string }>([{ key: 'name', title: 'N', width: 1 }]).add({ name: 'x' }).cell(0, key)
}
