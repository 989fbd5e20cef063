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
import { Card, Page, Table } from '../shared/page.tsx'

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
    <Page
      title={<>Trace <span className="mono">{q.data.trace}</span></>}
      about={<>{counted(list.length, 'event')} in {counted(projects.size, 'project')}, since {exact(first.time)}, in the order they were thrown{q.data.more && '; there are more'}.</>}
      actions={
        <>
          <Copy text={`firethorn event list ${option('--trace', q.data.trace)}`}>Copy as command</Copy>
          <button className="btn btn-ghost btn-sm font-normal" onClick={() => void go(-1)}>Back <kbd className="kbd kbd-xs" aria-hidden="true">Esc</kbd></button>
        </>
      }
    >
      <Card label="Events" flush>
        <Table label="Events of the trace" columns={['After', 'Project', 'What broke', 'Issue', 'Release', 'Environment']}>
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
        </Table>
      </Card>
    </Page>
  )
}

/** How long after the first an event was thrown. */
function after(first: string, then: string): string {
  const ms = Date.parse(then) - Date.parse(first)
  return ms < 1000 ? `${ms} ms` : `${(ms / 1000).toFixed(1)} s`
}
