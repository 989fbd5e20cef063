import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import * as health from '../api/health.ts'
import * as asking from '../api/search.ts'
import { count, counted } from '../core/format.ts'
import { searchCommand } from '../core/list.ts'
import type { Scope } from '../core/list.ts'
import { toggled } from '../core/search.ts'
import { windowInWords } from '../core/window.ts'
import { CsvButton, UserList } from '../search/user-list.tsx'
import type { Search } from '../search/use-search.ts'
import { Card, Table } from '../shared/page.tsx'
import { Copy } from '../shared/parts.tsx'

const percent = (n: number, of: number): string => (of === 0 ? '0 %' : n > 0 && n / of < 0.01 ? 'under 1 %' : `${Math.round((100 * n) / of)} %`)

/** How many users were hit in the window, what share that is, how many regressed, and who they are. */
export function AffectedUsers({ scope }: { scope: Scope }) {
  const got = useQuery(asking.affected(scope))
  const sessions = useQuery(health.qualities({ project: scope.project, environment: '', window: scope.window })).data?.sessions.all ?? 0
  const [all, setAll] = useState(false)
  const a = got.data
  if (got.error && !a) return null // what is wrong with the search is said above
  if (!a) return <p className="soft mt-1">Loading …</p>
  if (a.users === 0) return <p className="soft mt-1">No user in {windowInWords(scope.window)}{scope.search && ' under this search'}.</p>
  return (
    <>
      <p className="mt-1">
        In {windowInWords(scope.window)}{scope.search && ', under this search'}: <b className="font-semibold">{counted(a.users, 'user')}</b>, {percent(a.users, a.active)} of the {count(a.active)} active users; {count(a.came_back)} of them returned afterwards ({percent(a.came_back, a.users)}).
        {sessions > 0 && <> {((1000 * a.events) / sessions).toFixed(1)} events for 1,000 sessions.</>}
        {a.releases.length > 0 && <> On {a.releases.map((r, i) => <span key={r.value}>{i > 0 && ', '}<span className="mono">{r.value}</span> {count(r.users)}</span>)}.</>}
      </p>
      <div className="mt-2">
        <Card title="Users" note="Those with most of these events first." flush actions={<><Copy text={searchCommand('user list', scope)}>Copy as command</Copy><CsvButton scope={scope} /></>}>
          <UserList scope={scope} limit={all ? 50 : 5} more={all} />
          {!all && a.users > 5 && <button className="btn btn-ghost btn-sm m-1 font-normal" onClick={() => setAll(true)}>Show {count(a.users)} users</button>}
        </Card>
      </div>
    </>
  )
}

/** The values that are far more common in these events than in the others, with both counts. */
export function SetsApart({ s }: { s: Search }) {
  const got = useQuery(asking.against(s.scope, 12))
  const list = got.data?.values
  if (!list) return null
  return (
    <div className="mt-4">
      <Card title="What sets these events apart" flush note={list.length > 0 ? `Of ${count(got.data?.looked ?? 0)} values, these are more common here than chance explains, in ${windowInWords(s.window)}.` : undefined} actions={<Copy text={searchCommand('facets', s.scope, '--against others')}>Copy as command</Copy>}>
        {list.length === 0 ? <p className="soft px-3 pb-2">Nothing: of {counted(got.data?.looked ?? 0, 'value')}, none is more common here than chance would have it.</p> : (
          <Table label="What sets these events apart" columns={['Attribute', 'Value', { name: 'Here', right: true }, { name: 'Elsewhere', right: true }, { name: 'Times', right: true }]}>
            {list.map((v) => (
              <tr key={`${v.name} ${v.value}`}>
                <td>{v.name}</td>
                <td className="name"><button className="link-hover mono cursor-pointer text-left" dir="auto" title="Narrow to it" onClick={() => s.set({ search: toggled(s.search, v.name, v.value, false) })}>{v.value}</button></td>
                <td className="text-right whitespace-nowrap">{count(v.here)} of {count(v.here_of)}, {percent(v.here, v.here_of)}</td>
                <td className="text-right whitespace-nowrap">{count(v.elsewhere)} of {count(v.elsewhere_of)}, {percent(v.elsewhere, v.elsewhere_of)}</td>
                <td className="text-right whitespace-nowrap">{v.ratio >= 1e6 ? 'only here' : v.ratio.toFixed(v.ratio < 10 ? 1 : 0)}</td>
              </tr>
            ))}
          </Table>
        )}
      </Card>
    </div>
  )
}
