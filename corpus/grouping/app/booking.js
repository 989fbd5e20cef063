import { BookingError, bookingError, later } from './helpers.js'

export function pay(card) { if (!card.valid) throw bookingError('card', 'the card was refused'); return 1 }
export function reserve(seats) { if (seats > 9) throw bookingError('seats', 'too many seats'); return seats }
export function cancel(id) { if (id < 0) throw new BookingError('id', `there is no booking ${id}`); return id }
export function readTicket(code) {
  const text = decodeURIComponent(code)
  return text.length
}
export function wrapTicket(code) { try { return readTicket(code) } catch (e) { throw new Error('the ticket cannot be read', { cause: e }) } }
export function bare() { return wrapNothing.length }
export function total(items) { let sum = 0n; for (const i of items) sum += i; return sum }
export function seatMap(n) { return new Array(n).fill(0) }
export const check = { age(p) { return p.born.year }, name(p) { return p.name.first.length } }
export async function settle() { await later(1, () => { throw new Error('the till is closed') }) }
export async function queue() { await null; throw new BookingError('queue', 'the queue is closed') }
export function onGate(f) { return f({}) }
export function setUp(on) {
  on('open', event => event.gate.number)
  on('close', event => event.gate.number)
}
export function thrownText() { throw 'berth 12 is taken' }
export function refuse() { return Promise.reject(new TypeError('refused')) }
export function sameWordsHere(x) { if (!x) throw new Error('not found'); return x }
export function sameWordsThere(x) { if (!x) throw new Error('not found'); return x }
export function fixed() { const c = 1; return Object.freeze([c]).push(2) }
