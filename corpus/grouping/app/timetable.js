import { assert, getJSON, lookUp } from './helpers.js'

const tables = [[1, 2, 3], [4, 5, 6]]
export function tideAt(day, hour) { return tables[day][hour].toFixed(1) }
export function nextStill(day, hour) { return tideAt(day, hour) > 2 ? hour : nextStill(day, hour + 1) }
export const drawDay = day => [0, 1, 2].map(h => tideAt(day, h))
export const drawWeek = first => [0, 1, 2, 3].map(d => drawDay(first + d))
export function fareOf(kind) { return ({ adult: 4.2, child: 2.1 })[kind].net }
export function parseFares(text) {
  const fares = JSON.parse(text)
  return fares.list
}
export function decimals(n, digits) {
  const text = n.toFixed(digits)
  return `${text} €`
}
export async function loadSailings() {
  const list = await getJSON('/missing/sailings')
  return list.length
}
export async function loadNotices() {
  const list = await getJSON('/missing/notices')
  return list.length
}
export function berthFor(ship) { assert(ship.draft < 5, `no berth takes a draft of ${ship.draft}`); return 1 }
export function crewFor(ship) { assert(ship.crew > 2, 'too few hands'); return ship.crew }
export const portOf = name => {
  const port = lookUp({ Tarn: 1 }, name)
  return port + 1
}
export const shipOf = name => {
  const ship = lookUp({ Eider: 1 }, name)
  return ship + 1
}
export const pierOf = name => {
  const pier = lookUp({ North: 1 }, name)
  return pier + 1
}
export const gateOf = name => {
  const gate = lookUp({ A: 1 }, name)
  return gate + 1
}
export class Board {
  #rows = []
  get first() { return this.#rows[0].ship }
  set title(t) { this.text = t.trim() }
  add(row) { this.#rows.push(row); if (this.#rows.length > 2) throw new Error('the board is full'); return this }
  static of(list) { return list.reduce((b, r) => b.add(r), new Board()) }
  async show() { await null; return this.nothing.here }
  *pages() { yield this.#rows.missing.length }
}
export const round = n => round(n + 1) + 1
export const ping = n => pong(n) + 1
export const pong = n => ping(n) + 1
