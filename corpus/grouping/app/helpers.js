// What others call: an assert, a wrapper of fetch, a maker of errors.
export class BookingError extends Error {
  constructor(code, message, options) {
    super(message, options)
    this.name = 'BookingError'
    this.code = code
  }
}
export function assert(ok, message) {
  if (!ok) throw new Error(message)
}
export async function getJSON(path) {
  const answer = await fetch(path)
  if (!answer.ok) throw new Error(`GET ${path} was answered with ${answer.status}`)
  return answer.json()
}
export function bookingError(code, detail) {
  return new BookingError(code, `booking failed: ${detail} (${code})`)
}
export function lookUp(table, key) {
  const found = table[key]
  if (found === undefined) throw new RangeError(`nothing under ${key}`)
  return found
}
export const later = (ms, f) => new Promise((done, failed) => setTimeout(() => { try { done(f()) } catch (e) { failed(e) } }, ms))
