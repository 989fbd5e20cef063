import { useIsFetching } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Scope } from '../core/list.ts'

/** What a page that searches asks, in the order in which people look at it. */
const order = [['issues', 'found-events', 'found-users', 'event'], ['histogram'], ['facets'], ['against', 'affected', 'marks']] as const

/**
 * Whether it is the turn of a question: what people look at first is answered before the
 * rest is asked, since all of it costs the service the same processors.
 */
export function useTurn(kind: (typeof order)[number][number]): boolean {
  const turn = order.findIndex((kinds) => (kinds as readonly string[]).includes(kind))
  const before = new Set<unknown>(order.slice(0, turn).flat())
  return useIsFetching({ predicate: (q) => before.has(q.queryKey[2]) }) === 0
}

/**
 * What is searched, a moment later than the list has it: by then the list's question is
 * on its way, and useTurn holds the others back.
 */
export function useLater(scope: Scope): Scope | undefined {
  const [later, setLater] = useState<Scope>()
  useEffect(() => {
    const t = setTimeout(() => setLater(scope), 0)
    return () => clearTimeout(t)
  }, [scope])
  return later
}
