import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as asking from '../api/health.ts'
import type { Comparison, Scope } from '../api/health.ts'
import { issueAt } from '../core/address.ts'
import { count, counted } from '../core/format.ts'
import { lowest, percent } from '../core/health.ts'
import { args, option } from '../core/shell.ts'
import { Interval } from '../shared/health.tsx'
import { Card, Table } from '../shared/page.tsx'
import { Copy, Failed, Loading, State } from '../shared/parts.tsx'
import { Says } from './health.tsx'

/** Two releases side by side: issues of one alone, and how often the others occur in both. */
export function Compared({ scope, a, b, close }: { scope: Scope; a: string; b: string; close: () => void }) {
  const got = useQuery(asking.comparison(scope, a, b))
  return (
    <section aria-labelledby="compared" className="mt-6 space-y-4">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 id="compared" className="grow text-lg font-semibold"><span className="mono">{a}</span> beside <span className="mono">{b}</span></h2>
        <Copy text={`firethorn release compare ${option('--project', scope.project)} ${args(a, b)}`}>Copy as command</Copy>
        <button className="btn btn-outline btn-sm font-normal" onClick={close}>Back to {a}</button>
      </div>
      {got.error && <Failed error={got.error} />}
      {!got.data && !got.error && <Loading />}
      {got.data && <Sides c={got.data} />}
    </section>
  )
}

function Sides({ c }: { c: Comparison }) {
  const from = lowest([c.a.crash_free_sessions, c.b.crash_free_sessions])
  return (
    <>
      <Says q={c.a} />
      <Card label="Sessions" flush>
        <Table label="Sessions" columns={['Release', { name: 'Sessions', right: true }, { name: 'Crashed', right: true }, 'Without a crash', { name: 'Users', right: true }]}>
          {[c.a, c.b].map((q) => (
            <tr key={q.release}>
              <td className="mono">{q.release}</td>
              <td className="text-right">{count(q.sessions.all)}</td>
              <td className="text-right">{count(q.sessions.crashed)}</td>
              <td>{q.sessions.all > q.sessions.running ? <Interval share={q.crash_free_sessions} from={from} width={220} /> : <span className="soft">no session</span>} <span className="soft">(bar from {percent(from)})</span></td>
              <td className="text-right">{count(q.users.all)}</td>
            </tr>
          ))}
        </Table>
      </Card>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
        {([[c.a.release, c.only_in_a], [c.b.release, c.only_in_b]] as const).map(([release, list]) => (
          <Card key={release} title={`Only in ${release}`} flush note={list.length === 0 ? 'Nothing in this time.' : undefined}>
            {list.length > 0 && (
              <Table label={`Only in ${release}`} columns={['Issue', 'What broke', { name: 'Events', right: true }, { name: 'For 1,000 sessions', right: true }]}>
                {list.map((i) => (
                  <tr key={i.id}>
                    <td className="whitespace-nowrap"><Link className="link" to={issueAt(i.id)}>{i.id}</Link></td>
                    <td className="name">{i.headline}</td>
                    <td className="text-right" title={counted(i.users, 'user')}>{count(i.events)}</td>
                    <td className="text-right">{i.per_1000_sessions.toFixed(1)}</td>
                  </tr>
                ))}
              </Table>
            )}
          </Card>
        ))}
      </div>
      <Card title="In both" flush note={c.in_both.length === 0 ? 'Nothing in this time.' : 'Events for 1,000 sessions, and how many times as often, with the 95 % interval.'}>
        {c.in_both.length > 0 && (
          <Table label="In both" columns={['Issue', 'What broke', 'State', { name: c.a.release, right: true }, { name: c.b.release, right: true }, { name: 'Times', right: true }]}>
            {c.in_both.map((i) => (
              <tr key={i.id}>
                <td className="whitespace-nowrap"><Link className="link" to={issueAt(i.id)}>{i.id}</Link></td>
                <td className="name">{i.headline}</td>
                <td><State state={i.state} /></td>
                <td className="text-right" title={counted(i.events.a, 'event')}>{i.per_1000_sessions.a.toFixed(1)}</td>
                <td className="text-right" title={counted(i.events.b, 'event')}>{i.per_1000_sessions.b.toFixed(1)}</td>
                <td className={`text-right whitespace-nowrap ${i.ratio.low > 1 ? 'hurts' : i.ratio.high < 1 ? 'text-primary' : ''}`}>{i.ratio.value > 0 ? `${i.ratio.value.toFixed(2)} (${i.ratio.low.toFixed(2)} to ${i.ratio.high > 1e6 ? '∞' : i.ratio.high.toFixed(2)})` : '–'}</td>
              </tr>
            ))}
          </Table>
        )}
      </Card>
    </>
  )
}
