import { lost } from '../core/current.ts'
import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import * as ask from '../api/queries.ts'
import * as asking from '../api/search.ts'
import { ApiError } from '../api/client.ts'
import { count } from '../core/format.ts'
import { orders, states } from '../core/address.ts'
import type { ListQuery } from '../core/address.ts'
import { listCommand, listRequest } from '../core/list.ts'
import { term, terms } from '../core/search.ts'
import { Rows } from './issue-rows.tsx'
import { Chips } from '../search/chips.tsx'
import { FacetsButton, FacetsPanel } from '../search/facets.tsx'
import { Saved } from '../search/saved.tsx'
import { StripControls, TimeStrip } from '../search/strip.tsx'
import { useSearch } from '../search/use-search.ts'
import { Failed, Loading } from '../shared/parts.tsx'
import { CopyAs } from '../shared/copy-as.tsx'
import { useAddress } from '../shared/address.ts'
import { keepList } from '../shared/back.ts'
import { useTitle } from '../shared/title.ts'
import { SetUp } from '../projects/set-up.tsx'

/** The list of issues: what hurts most first. */
export function Issues() {
  const { project, state: query, set } = useAddress('issues')
  const s = useSearch('issues')
  const key = JSON.stringify([query.state, query.order, query.search, query.window])
  const list = useInfiniteQuery(ask.issues(project, { state: query.state, order: query.order, search: query.search, window: query.window }))
  useTitle(`Issues of ${project}`)
  useEffect(() => keepList(project, query), [project, query])
  useDefault(project, query)
  const wrong = list.error instanceof ApiError && list.error.column !== undefined
  if (lost(list) && !wrong) return <Failed error={list.error!} again={() => void list.refetch()} />
  if (!list.data && !wrong) return <Loading />
  const totals = list.data?.pages[0]?.states ?? {}
  const all = Object.values(totals).reduce((a, b) => a + b, 0)
  if (all === 0 && !wrong) return <SetUp project={project} />
  const named = terms(query.search).some((t) => t.name === 'state')
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 px-(--edge) pt-1.5 pb-1">
        <h1 className="sr-only">Issues of {project}</h1>
        <FacetsButton s={s} />
        {!list.data ? null : named ? <p className="soft">The search sets the states.</p> : <StateFilter query={query} totals={totals} set={set} />}
        <select className="select select-sm w-auto" aria-label="Order" value={query.order} onChange={(e) => set({ order: e.target.value as ListQuery['order'] })}>
          {orders.map((o) => (
            <option key={o} value={o}>by {o.replace('_', ' ')}</option>
          ))}
        </select>
        <span className="grow" />
        <Saved s={s} />
        <StripControls s={s} />
        <CopyAs command={listCommand(project, query)} request={listRequest(location.origin, project, query)} />
      </div>
      <Chips s={s} error={list.error} />
      <TimeStrip s={s} />
      <div className="flex items-stretch max-md:flex-col">
        <FacetsPanel s={s} />
        <div className="min-w-0 grow">
          {list.data && !wrong && <Rows key={key} project={project} query={query} list={list.data.pages.flatMap((p) => p.issues)} more={list.hasNextPage ? () => void list.fetchNextPage() : undefined} loaded={!list.isPlaceholderData} />}
        </div>
      </div>
    </>
  )
}

const begun = new Set<string>() // the projects whose list began with their default search, once a tab

/** Begins the list with the search that is the default, where the address says nothing. */
function useDefault(project: string, query: ListQuery): void {
  const { set } = useAddress('issues')
  const list = useQuery({ ...asking.searches(project, false), enabled: !begun.has(project), retry: false })
  const first = list.data?.searches.filter((x) => x.default).sort((a, b) => Number(a.shared) - Number(b.shared))[0]
  useEffect(() => {
    if (!list.data || begun.has(project)) return
    begun.add(project)
    if (first && !query.search && query.state === 'open') set({ search: term('saved', [first.name]) }, true)
  }, [list.data, first, project, query, set])
}

/** How many issues are in a state of the filter. */
function totalOf(s: string, totals: Record<string, number>): number {
  return s === 'all' ? Object.values(totals).reduce((a, b) => a + b, 0) : s === 'open' ? (totals.new ?? 0) + (totals.accepted ?? 0) + (totals.regressed ?? 0) : (totals[s] ?? 0)
}

function StateFilter({ query, totals, set }: { query: ListQuery; totals: Record<string, number>; set: (c: Partial<ListQuery>) => void }) {
  return (
    <div role="group" aria-label="States" className="flex flex-wrap gap-x-0.5">
      {states.map((s) => (
        <button key={s} aria-pressed={query.state === s} onClick={() => set({ state: s })} className={`cursor-pointer rounded-sm px-1.5 py-0.5 ${query.state === s ? 'bg-primary text-primary-content' : 'hover:bg-base-300'}`}>
          {s} {count(totalOf(s, totals))}
        </button>
      ))}
    </div>
  )
}
