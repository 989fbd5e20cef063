import type { Ticket } from '../api/tickets.ts'
import { ticketTitle, ticketWord } from '../core/tickets.ts'
import { TriangleAlert } from './icons.tsx'

/** A ticket in a few characters: its key, its state, and whether something is wrong with it. */
export function TicketMark({ ticket: t }: { ticket: Ticket }) {
  const words = <><span className="mono">{t.key}</span> <span className="soft">{ticketWord(t)}</span></>
  return (
    <span className="inline-flex items-baseline gap-1 whitespace-nowrap" title={ticketTitle(t)}>
      {t.trouble && <span className="self-center text-warning"><TriangleAlert size={14} aria-label="something is wrong with it" /></span>}
      {t.link ? <a className="underline decoration-dotted underline-offset-4" href={t.link} target="_blank" rel="noreferrer">{words}</a> : <span>{words}</span>}
    </span>
  )
}
