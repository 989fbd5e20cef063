export interface Ticket {
  passenger: { name: string }
  sailing: string
}

const sold = new Map<string, Ticket>([['MSF-1001', { passenger: { name: 'Ila Tarn' }, sailing: '1200' }]])

/** Lets the holder of a ticket through. */
export function scan(number: string): string {
  const ticket = sold.get(number)
  return greet(ticket as Ticket)
}

function greet(t: Ticket): string {
  return `Welcome aboard, ${t.passenger.name}`
}

export class TicketError extends Error {
  override name = 'TicketError'
}

/** Reads the code a scanner sees. */
export function readTicket(code: string): Ticket {
  try {
    return JSON.parse(Buffer.from(code, 'base64url').toString('latin1')) as Ticket
  } catch (e) {
    throw new TicketError('this code is no ticket', { cause: e })
  }
}
