import { mended, terms, withoutTerm } from '../core/search.ts'
import { ApiError } from '../api/client.ts'
import { Alert } from '../shared/page.tsx'
import type { Search } from './use-search.ts'

/** The terms of a search, each with its way out; and what is wrong with it. */
export function Chips({ s, error }: { s: Search; error?: Error | null | undefined }) {
  const all = terms(s.search)
  const wrong = error instanceof ApiError && error.column !== undefined ? error : undefined
  if (all.length === 0) return null
  return (
    <div className="px-(--edge) py-1.5">
      <ul className="flex flex-wrap items-center gap-1.5" aria-label="The search">
        {all.map((t) => (
          <li key={`${t.from} ${t.text}`} className={`flex max-w-full items-center rounded-sm border bg-base-100 ${wrong?.column !== undefined && wrong.column > t.from && wrong.column <= t.to ? 'border-accent' : 'border-base-300'}`}>
            <span className="mono truncate py-0.5 pl-2" dir="auto">{t.text}</span>
            <button className="cursor-pointer px-2 py-0.5 hover:text-accent" aria-label={`Remove ${t.text}`} onClick={() => s.set({ search: withoutTerm(s.search, t) })}>×</button>
          </li>
        ))}
        {all.length > 1 && <li><button className="link soft" onClick={() => s.set({ search: '' })}>Clear the search</button></li>}
      </ul>
      {wrong && (
        <div className="mt-1.5 max-w-3xl">
          <Alert tone="bad">
            {wrong.message}{' '}
            {wrong.nearest && wrong.column !== undefined && <button className="link" onClick={() => s.set({ search: mended(s.search, wrong.column!, wrong.nearest!) })}>Search for {wrong.nearest}</button>}
          </Alert>
        </div>
      )}
    </div>
  )
}
