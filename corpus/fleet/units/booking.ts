//@ booking
export class BookingError extends Error {}
//@
export class SeatTaken extends BookingError {
  constructor(seat: string) { super(`seat ${seat} is taken`); this.name = 'SeatTaken' }
}
//@
export interface Booking { id: string; seats: string[]; vehicle?: { length: number }; traveller?: { name: string; born?: { year: number } } }
//@
export function refusal(code: string, booking: string): Error {
  return new BookingError(`booking ${booking} refused: ${code}`)
}
//@
export function reserve(booking: Booking, seat: string) {
  if (booking.seats.includes(seat)) throw new SeatTaken(seat)
  booking.seats.push(seat)
}
//@
export function payBooking(booking: Booking, cents: number) {
  if (cents <= 0) throw refusal('E_AMOUNT', booking.id)
  return formatMoney(cents, 'EUR')
}
//@
export function cancelBooking(booking: Booking) {
  if (booking.seats.length === 0) throw refusal('E_EMPTY', booking.id)
  booking.seats.length = 0
}
//@
export function vehicleFare(booking: Booking) {
  return booking.vehicle!.length * 12
}
//@
export function ageOf(booking: Booking, year: number) {
  return year - booking.traveller!.born!.year
}
//@
export function nameBadge(booking: Booking) {
  const traveller = need(booking.traveller, `the traveller of ${booking.id}`)
  return traveller.name.toUpperCase()
}
//@
export function boardingCard(booking: Booking) {
  invariant(booking.seats.length > 0, `booking ${booking.id} has no seats`)
  return booking.seats.join(',')
}
//@
export function upgrade(booking: Booking, to: string) {
  invariant(['deck', 'lounge'].includes(to), `no class ${to}`)
  return to
}
//@
export function refundCurrency(booking: Booking, currency: string) {
  return booking.seats.map(() => formatMoney(100, currency))
}
//@
export function seatPlan(rows: number) {
  return new Array<string>(rows).fill('free')
}
//@
export function groupBySeat(bookings: Booking[]) {
  const bySeat: Record<string, Booking> = {}
  bookings.forEach(b => b.seats.forEach(s => { bySeat[s.toUpperCase()] = b }))
  return bySeat
}
//@
export const ticketOf = memo((id: string) => {
  const parts = id.split('-')
  return Number.parseInt(parts[2].slice(1), 36)
})
//@
export function settleAll(bookings: Booking[]) {
  return bookings.map(b => settle(b, 0))
}
//@
export function settle(b: Booking, depth: number): number {
  return b.seats.length > 2 ? 1 : 1 + settleAgain(b, depth + 1)
}
//@
export function settleAgain(b: Booking, depth: number): number {
  return 1 + settle({ ...b }, depth)
}
//@
export async function checkOut(booking: Booking) {
  await Promise.resolve()
  const till = await openTill(booking.id)
  return till.total
}
//@
export async function openTill(id: string) {
  await null
  if (id.startsWith('MS')) throw new BookingError(`till for ${id} is closed`)
  return undefined as unknown as { total: number }
}
//@
export function decodeTicket(text: string) {
  return decodeURIComponent(text)
}
//@
export function importTicket(text: string) {
  try {
    return decodeTicket(text)
  } catch (e) {
    throw new BookingError(`ticket ${text} cannot be imported`, { cause: e })
  }
}
