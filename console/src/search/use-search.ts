import { useMemo } from 'react'
import type { Searching, State } from '../core/address.ts'
import type { Scope } from '../core/list.ts'
import { useAddress } from '../shared/address.ts'

/** What every page that searches keeps in its address. */
export type Searched = Pick<State<'users'>, 'search' | 'window' | 'stack' | 'second' | 'facets'>

/** The search of a page: what is looked at, and how to look at something else. */
export interface Search extends Searched {
  scope: Scope
  set: (change: Partial<Searched>) => void
}

/** The search that the address of a page says. */
export function useSearch(page: Searching, issue?: number): Search {
  const { project, state, set } = useAddress(page)
  const { search, window, stack, second, facets } = state as Searched
  const scope = useMemo(() => ({ project, issue, search, window }), [project, issue, search, window])
  return { scope, search, window, stack, second, facets, set: set as Search['set'] }
}
