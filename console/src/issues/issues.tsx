import { lost } from '../core/current.ts'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import * as ask from '../api/queries.ts'
import { count } from '../core/format.ts'
import { orders, states } from '../core/address.ts'
import type { ListQuery } from '../core/address.ts'
import { listCommand, listRequest } from '../core/list.ts'
import { Rows } from './issue-rows.tsx'
import { Copy, Failed, Loading } from '../shared/parts.tsx'
import { useAddress } from '../shared/address.ts'
import { keepList } from '../shared/back.ts'
import { useTitle } from '../shared/title.ts'
import { SetUp } from '../projects/set-up.tsx'

/** The list of issues: what hurts most first. */
export function Issues() {
  const { project, state: query, set } = useAddress('issues')
  const key = JSON.stringify(query)
  const list = useInfiniteQuery(ask.issues(project, query))
  useTitle(`Issues of ${project}`)
  useEffect(() => keepList(project, query), [project, query])
  if (lost(list)) return <Failed error={list.error!} again={() => void list.refetch()} />
  if (!list.data) return <Loading />
  const totals = list.data.pages[0]?.states ?? {}
  const all = Object.values(totals).reduce((a, b) => a + b, 0)
  if (all === 0) return <SetUp project={project} />
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1 px-(--edge) py-2">
        <h1 className="sr-only">Issues of {project}</h1>
        <StateFilter query={query} totals={totals} set={set} />
        <label className="flex items-center gap-2">
          <span className="soft">order</span>
          <select className="select select-sm w-auto" value={query.order} onChange={(e) => set({ order: e.target.value as ListQuery['order'] })}>
            {orders.map((o) => (
              <option key={o} value={o}>{o.replace('_', ' ')}</option>
            ))}
          </select>
        </label>
        {query.text && (
          <button className="btn btn-outline btn-sm font-normal" onClick={() => set({ text: '' })}>
            “{query.text}” <span aria-hidden="true">×</span>
            <span className="sr-only">clear the search</span>
          </button>
        )}
        <span className="grow" />
        <details className="dropdown dropdown-end">
          <summary className="btn btn-ghost btn-sm font-normal">Copy as …</summary>
          <div className="dropdown-content z-20 flex w-44 flex-col panel p-1">
            <Copy text={listCommand(project, query)}>Command line</Copy>
            <Copy text={listRequest(location.origin, project, query)}>Request</Copy>
          </div>
        </details>
      </div>
      <Rows key={key} project={project} query={query} list={list.data.pages.flatMap((p) => p.issues)} more={list.hasNextPage ? () => void list.fetchNextPage() : undefined} loaded={!list.isPlaceholderData} />
    </>
  )
}

/** How many issues are in a state of the filter. */
function totalOf(s: string, totals: Record<string, number>): number {
  return s === 'all' ? Object.values(totals).reduce((a, b) => a + b, 0) : s === 'open' ? (totals.new ?? 0) + (totals.accepted ?? 0) + (totals.regressed ?? 0) : (totals[s] ?? 0)
}

function StateFilter({ query, totals, set }: { query: ListQuery; totals: Record<string, number>; set: (c: Partial<ListQuery>) => void }) {
  return (
    <div role="group" aria-label="States" className="flex flex-wrap gap-x-1">
      {states.map((s) => (
        <button key={s} aria-pressed={query.state === s} onClick={() => set({ state: s })} className={`cursor-pointer rounded-sm px-2 py-0.5 ${query.state === s ? 'bg-primary text-primary-content' : 'hover:bg-base-300'}`}>
          {s} {count(totalOf(s, totals))}
        </button>
      ))}
    </div>
  )
}

