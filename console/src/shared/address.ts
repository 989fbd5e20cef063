import { useCallback, useMemo } from 'react'
import { useParams, useSearchParams } from 'react-router'
import { read, write } from '../core/address.ts'
import type { Page, State } from '../core/address.ts'

/** What the address of a page says, and how to say something else in it. */
export function useAddress<P extends Page>(page: P): { project: string; state: State<P>; params: URLSearchParams; set: (change: Partial<State<P>>, replace?: boolean) => void } {
  const { project = '' } = useParams()
  const [params, setParams] = useSearchParams()
  const state = useMemo(() => read(page, params), [page, params])
  const set = useCallback((change: Partial<State<P>>, replace = false) => setParams(write(page, { ...state, ...change }), { replace, preventScrollReset: replace }), [page, state, setParams])
  return { project, state, params, set }
}
