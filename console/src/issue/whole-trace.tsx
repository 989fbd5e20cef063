import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { Link, useNavigate, useParams } from 'react-router'
import * as ask from '../api/queries.ts'
import { option } from '../core/shell.ts'
import { counted, exact } from '../core/format.ts'
import { useKeys } from '../shared/keys.ts'
import { Copy, Empty, Failed, Loading } from '../shared/parts.tsx'
import { useTitle } from '../shared/title.ts'
import { issueAt } from '../core/address.ts'

/** What one trace ran into, in all projects, in the order it was thrown. */
export function TracePage() {
  const { trace = '' } = useParams()
  const go = useNavigate()
  const q = useQuery(ask.trace(trace))
  useKeys('trace', { back: () => void go(-1) })
  useTitle(`Trace ${trace}`)
  if (lost(q)) return <Failed error={q.error!} again={() => void q.refetch()} />
  if (!q.data) return <Loading />
  const list = q.data.events
  if (list.length === 0) return (
    <Empty page title="No event of this trace is kept">
      <p>Events carry the trace they were thrown in where the application reports by OpenTelemetry, or names it in its logs.</p>
    </Empty>
  )
  const first = list[0]!
  const projects = new Set(list.map((e) => e.issue.split('/')[0]))
  return (
    <div className="mx-auto max-w-[84rem] px-4 py-5">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h1 className="text-xl font-semibold">Trace <span className="mono">{q.data.trace}</span></h1>
        <span className="grow" />
        <Copy text={`firethorn event list ${option('--trace', q.data.trace)}`}>Copy as command line</Copy>
        <button className="btn btn-ghost btn-sm font-normal" onClick={() => void go(-1)}>Back <kbd className="kbd kbd-xs" aria-hidden="true">Esc</kbd></button>
      </div>
      <p className="soft">
        {counted(list.length, 'event')} in {counted(projects.size, 'project')}, since {exact(first.time)}, in the order they were thrown{q.data.more && '; there are more'}.
      </p>
      <div className="relative mt-3 overflow-x-auto rounded border border-base-300 bg-base-100">
        <table className="w-full [&_td]:px-3 [&_td]:py-1 [&_th]:px-3 [&_th]:py-1 [&_th]:text-left [&_th]:font-normal" aria-label="Events of the trace">
          <thead>
            <tr className="soft"><th>after</th><th>project</th><th>what broke</th><th>issue</th><th>release</th><th>environment</th></tr>
          </thead>
          <tbody>
            {list.map((e) => (
              <tr key={e.issue + e.id}>
                <td className="soft whitespace-nowrap" title={exact(e.time)}>{after(first.time, e.time)}</td>
                <td>{e.issue.split('/')[0]}</td>
                <td><Link className="link mono break-all" to={issueAt(e.issue, e.id)}>{e.headline}</Link></td>
                <td className="soft whitespace-nowrap">{e.issue}</td>
                <td className="mono">{e.release || 'none'}</td>
                <td>{e.environment}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  )
}

/** How long after the first an event was thrown. */
function after(first: string, then: string): string {
  const ms = Date.parse(then) - Date.parse(first)
  return ms < 1000 ? `${ms} ms` : `${(ms / 1000).toFixed(1)} s`
}
