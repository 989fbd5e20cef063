import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as asking from '../api/alerts.ts'
import { pageAt } from '../core/address.ts'
import { Alert } from '../shared/page.tsx'

/** Says on every page of a project that alert rules are paused. */
export function PausedNotice({ project }: { project: string }) {
  const list = useQuery(asking.pauses()).data?.pauses.filter((p) => p.project === project) ?? []
  if (list.length === 0) return null
  return (
    <div className="px-(--edge) pt-2">
      <Alert>
        {list.map((p) => <span key={p.rule} className="block">The alert <b>{p.rule}</b> is paused until {new Date(p.until).toLocaleString('en-GB', { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}, by {p.by}. <Link className="link" to={pageAt(project, 'alerts')}>Alerts</Link></span>)}
      </Alert>
    </div>
  )
}
