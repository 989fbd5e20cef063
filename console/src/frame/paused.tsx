import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as asking from '../api/alerts.ts'
import { pageAt } from '../core/address.ts'
import { minute } from '../core/format.ts'
import { Alert } from '../shared/page.tsx'

/** Says on every page of a project that alert rules are paused. */
export function PausedNotice({ project }: { project: string }) {
  const list = useQuery(asking.pauses()).data?.pauses.filter((p) => p.project === project) ?? []
  if (list.length === 0) return null
  return (
    <div className="px-(--edge) pt-2">
      <Alert>
        {list.map((p) => <span key={p.rule} className="block">The alert <b>{p.rule}</b> is paused until {minute(p.until)}, by {p.by}. <Link className="link" to={pageAt(project, 'alerts')}>Alerts</Link></span>)}
      </Alert>
    </div>
  )
}
