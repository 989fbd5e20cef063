import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import { count, counted } from '../core/format.ts'
import { Ago, Empty, Failed, Loading } from './parts.tsx'

/** All projects: where a person begins. */
export function Projects() {
  const list = useQuery({ queryKey: ['projects'], queryFn: ({ signal }) => api.projects(signal) })
  if (list.error) return <Failed error={list.error} again={() => void list.refetch()} />
  if (!list.data) return <Loading />
  if (!list.data.projects.length) {
    return (
      <Empty page title="No application reports yet">
        <p>A project is one application. Make one, and its page shows how the application reports:</p>
        <pre className="mt-3 rounded border border-base-300 bg-base-100 p-3">firethorn project create NAME</pre>
      </Empty>
    )
  }
  return (
    <div className="mx-auto max-w-3xl px-6 py-8">
      <h1 className="mb-4 text-xl font-semibold">Projects</h1>
      <ul className="divide-y divide-base-300 rounded border border-base-300 bg-base-100">
        {list.data.projects.map((p) => (
          <li key={p.name} className="flex items-baseline gap-4 px-4 py-3">
            <Link to={`/p/${p.name}/issues`} className="link-hover text-base font-semibold">
              {p.name}
            </Link>
            <span className={p.open_issues ? 'hurts' : 'soft'}>{counted(p.open_issues, 'open issue')}</span>
            <span className="soft">{count(p.events)} events</span>
            <span className="grow" />
            <span className="soft">{p.last_event ? <>last <Ago at={p.last_event} /></> : 'nothing has arrived yet'}</span>
          </li>
        ))}
      </ul>
    </div>
  )
}
