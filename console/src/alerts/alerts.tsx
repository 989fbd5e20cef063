import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as asking from '../api/alerts.ts'
import type { Alert, AlertRule } from '../api/alerts.ts'
import { issueAt, pageAt } from '../core/address.ts'
import { lost } from '../core/current.ts'
import { minute } from '../core/format.ts'
import { option } from '../core/shell.ts'
import { useAddress } from '../shared/address.ts'
import { Card, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Failed, Loading } from '../shared/parts.tsx'
import { useRole } from '../shared/rights.ts'
import { useSay } from '../shared/say.tsx'
import { NewAlert } from './new-alert.tsx'

/** A project's alert rules, what they fired for, what was held and why. */
export function AlertsPage() {
  const { project, state, set } = useAddress('alerts')
  const got = useQuery(asking.alerts(project))
  const may = useRole(project, 'maintainer') === true
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const { rules, alerts } = got.data
  return (
    <Page
      title="Alerts" about="Rules that send messages when something happens, and each alert they raised."
      actions={
        <>
          {may && <button className="btn btn-primary btn-sm" onClick={() => set({ ask: 'new' })}>New alert</button>}
          <Link className="btn btn-outline btn-sm font-normal" to="/destinations">Destinations</Link>
          <Copy text={`firethorn alert list ${option('--project', project)}`}>Copy as command</Copy>
        </>
      }
    >
      <Card title="Rules" flush note={rules.some((r) => r.default) ? 'The rules file has no section alerts: this one acts in its place.' : undefined} actions={<Link className="link" to={pageAt(project, 'rules')}>Edit in Rules</Link>}>
        {rules.length === 0 ? <p className="soft px-3 pb-2">The section alerts of the rules file is empty, so no message is sent.</p> : (
          <Table label="Rules" columns={['Name', 'When', 'To', 'Limits', 'State', { name: 'Actions', hidden: true }]}>
            {rules.map((r) => <RuleRow key={r.name} project={project} r={r} may={may} />)}
          </Table>
        )}
      </Card>
      <Card title="What fired" flush note="The newest first, kept for 90 days.">
        {alerts.length === 0 ? <p className="soft px-3 pb-2">Nothing yet. An alert appears here when a rule fires, even if no message was sent.</p> : (
          <Table label="What fired" columns={['When', 'Issue', 'What', 'Why', 'Result']}>
            {alerts.map((a) => <AlertRow key={a.id} a={a} />)}
          </Table>
        )}
      </Card>
      {state.ask === 'new' && <NewAlert project={project} search={state.search} close={() => set({ ask: '', search: '' })} />}
    </Page>
  )
}

/** For how long a rule is paused, by the choice of it. */
const spans: readonly (readonly [number, string])[] = [[1, '1 hour'], [8, '8 hours'], [24, '1 day'], [168, '1 week']]

function RuleRow({ project, r, may }: { project: string; r: AlertRule; may: boolean }) {
  const client = useQueryClient()
  const say = useSay()
  const again = () => {
    void client.invalidateQueries({ queryKey: asking.alerts(project).queryKey })
    void client.invalidateQueries({ queryKey: asking.pauses().queryKey })
  }
  const pause = useMutation({ mutationFn: (hours: number) => asking.pauseAlert(project, r.name, new Date(Date.now() + hours * 3_600_000).toISOString()), onSuccess: again, onError: (e) => say(e.message, true) })
  const resume = useMutation({ mutationFn: () => asking.resumeAlert(project, r.name), onSuccess: again, onError: (e) => say(e.message, true) })
  return (
    <tr>
      <td className="name font-semibold">{r.name}</td>
      <td className="name min-w-60"><code className="text-[.9rem] break-words">{r.when}</code></td>
      <td className="name">{r.to.join(', ')}</td>
      <td className="name soft">{r.limits}</td>
      <td className="whitespace-nowrap">{r.paused_until ? <span className="text-warning">paused until {minute(r.paused_until)} by {r.paused_by}</span> : r.off ? <span className="hurts">switched off: it cost too much</span> : 'active'}</td>
      <td className="text-right whitespace-nowrap">
        {may && (r.paused_until
          ? <button className="btn btn-outline btn-xs font-normal" onClick={() => resume.mutate()} aria-label={`Resume ${r.name}`}>Resume</button>
          : (
            <select className="select select-sm w-auto" aria-label={`Pause ${r.name}`} value="" onChange={(e) => pause.mutate(Number(e.target.value))}>
              <option value="">Pause for …</option>
              {spans.map(([h, words]) => <option key={h} value={h}>{words}</option>)}
            </select>
          ))}
      </td>
    </tr>
  )
}

function AlertRow({ a }: { a: Alert }) {
  return (
    <tr>
      <td className="soft whitespace-nowrap"><Ago at={a.at} /></td>
      <td className="name">{a.issue ? <Link className="link-hover font-semibold" to={issueAt(a.issue)}>{a.issue}</Link> : <span className="soft">no issue</span>}</td>
      <td className="whitespace-nowrap">{a.what}</td>
      <td className="name max-w-96 soft">{a.why}</td>
      <td className="name">
        <ul>
          {a.outcome.map((o, i) => (
            <li key={i}>
              <span className={o.did === 'sent' ? '' : o.did === 'held' ? 'text-info' : 'soft'}>{o.did}</span>{o.to && <> to {o.to}</>} <span className="soft">by {o.rule}{o.why !== 'fired' && <>: {o.why}</>}</span>
            </li>
          ))}
        </ul>
      </td>
    </tr>
  )
}
