/** How tickets of trackers are told of. */
export interface TicketLike {
  destination: string
  key: string
  state: string
  status?: string
  follows?: string
  trouble?: string
}

/** The state in a word: as the tracker calls it, unless it is gone. */
export const ticketWord = (t: TicketLike): string => (t.state === 'gone' ? 'gone' : t.status || t.state)

/** All about a ticket, for a pointer that rests on it. */
export function ticketTitle(t: TicketLike): string {
  const follows = t.follows === 'there' ? '; the ticket has yet to follow the issue' : t.follows === 'here' ? '; the issue has yet to follow the ticket' : ''
  return `Ticket ${t.key} in ${t.destination}: ${ticketWord(t)}${follows}${t.trouble ? `. ${t.trouble}` : ''}`
}
