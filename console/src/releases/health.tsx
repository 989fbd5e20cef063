import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import * as asking from '../api/health.ts'
import type { Quality, Scope } from '../api/health.ts'
import { count, counted, lasted } from '../core/format.ts'
import { lowest, percent, withInterval } from '../core/health.ts'
import { strip } from '../core/strip.ts'
import { Chart } from '../shared/chart.tsx'
import { Interval, VerdictWord } from '../shared/health.tsx'
import { Card, Table } from '../shared/page.tsx'
import { Loading } from '../shared/parts.tsx'

/** How many sessions of each release began when. */
export function UptakeChart({ scope }: { scope: Scope }) {
  const got = useQuery(asking.uptake(scope))
  const drawn = useMemo(() => got.data && strip(got.data.releases.map((r) => ({ value: r.release, points: r.points.map((p) => ({ at: p.at, events: p.sessions, users: 0 })) })), got.data.interval_s), [got.data])
  const names = useMemo(() => got.data?.releases.map((r) => r.release || 'no release') ?? [], [got.data])
  if (!drawn || drawn.at.length === 0) return null
  return (
    <div className="panel p-3">
      <h2 className="mb-1 font-semibold">Sessions by release</h2>
      <Chart strip={drawn} names={names} height={120} what="session" label="Sessions by release" />
    </div>
  )
}

/** How one release does beside the one before it, by environment of the page, over time and by device. */
export function Health({ scope, version }: { scope: Scope; version: string }) {
  const got = useQuery(asking.quality(scope, version))
  const q = got.data
  if (got.error && !q) return <p className="soft mt-2">{got.error.message}</p>
  if (!q) return <Loading />
  if (q.without_sessions) return <p className="soft mt-2">The application sends no sessions, so crash-free rates are not known. Events and issues below cover all time.</p>
  if (q.sessions.all === 0) return <p className="soft mt-2">No sessions of this release in this time.</p>
  return (
    <div className="mt-3 space-y-4">
      <Says q={q} />
      <dl className="flex flex-wrap gap-x-8 gap-y-2">
        <Fact name="sessions">{count(q.sessions.all)} <span className="soft text-[.9rem] font-normal">{percent(q.uptake.sessions)} of all</span></Fact>
        <Fact name="users">{count(q.users.all)} <span className="soft text-[.9rem] font-normal">{percent(q.uptake.users)} of all</span></Fact>
        <Fact name="sessions without a crash"><span title={withInterval(q.crash_free_sessions)}>{percent(q.crash_free_sessions.share)}</span></Fact>
        <Fact name="users without a crash"><span title={withInterval(q.crash_free_users)}>{percent(q.crash_free_users.share)}</span></Fact>
        <Fact name="sessions without an error"><span title={withInterval(q.error_free_sessions)}>{percent(q.error_free_sessions.share)}</span></Fact>
        <Fact name="cut off">{count(q.sessions.cut_off)}</Fact>
        <Fact name="lasted, half of them">{lasted(1000 * q.duration_s.p50)}</Fact>
        <Fact name="95 % under">{lasted(1000 * q.duration_s.p95)}</Fact>
      </dl>
      {(q.environments?.length ?? 0) > 1 && <Environments q={q} />}
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
        <Overtime scope={scope} version={version} />
        <Devices scope={scope} version={version} />
      </div>
      {q.durations_s.length > 1 && (
        <p className="soft">Lasted, by how they ended: {q.durations_s.map((d, i) => <span key={d.outcome}>{i > 0 && '; '}{d.outcome} {lasted(1000 * d.p50)}, 95 % under {lasted(1000 * d.p95)}</span>)}.</p>
      )}
    </div>
  )
}

/** One row an environment: two may go opposite ways. */
function Environments({ q }: { q: Quality }) {
  const list = q.environments!
  const from = lowest(list.map((e) => e.crash_free_sessions))
  return (
    <Card title="By environment" flush note={`Bars from ${percent(from)} to 100 %.`}>
      <Table label="By environment" columns={['Environment', { name: 'Sessions', right: true }, 'Without a crash', 'Verdict', 'Why']}>
        {list.map((e) => (
          <tr key={e.environment}>
            <td className="name">{e.environment || <span className="soft">none</span>}</td>
            <td className="text-right">{count(e.sessions.all)}</td>
            <td className="whitespace-nowrap"><Interval share={e.crash_free_sessions} from={from} /></td>
            <td><VerdictWord verdict={e.verdict} /></td>
            <td className="soft">{e.verdict.why}</td>
          </tr>
        ))}
      </Table>
    </Card>
  )
}

const Fact = ({ name, children }: { name: string; children: React.ReactNode }) => (
  <div><dt className="soft text-[.9rem] leading-4">{name}</dt><dd className="text-[1.15rem] leading-6 font-semibold">{children}</dd></div>
)

/** The verdict in a sentence, with its numbers. */
export function Says({ q }: { q: Quality }) {
  const v = q.verdict
  if (!v.says) return <p className="soft">{v.why}.</p>
  return (
    <p>
      Beside <span className="mono">{v.baseline}</span>: <b className={`font-semibold ${v.says === 'worse' ? 'hurts' : v.says === 'better' ? 'text-primary' : ''}`}>{v.says}</b>. {v.why[0]?.toUpperCase()}{v.why.slice(1)}.
      {v.ratio && <> Its sessions crash {v.ratio.value.toFixed(2)} times as often ({v.ratio.low.toFixed(2)} to {v.ratio.high.toFixed(2)}); p {v.p! < 1e-6 ? 'below 0.000001' : v.p!.toPrecision(2)}, however often one looks.</>}
    </p>
  )
}

/** Crashed sessions of one release over time. */
function Overtime({ scope, version }: { scope: Scope; version: string }) {
  const got = useQuery(asking.uptake(scope))
  const one = got.data?.releases.find((r) => r.release === version)
  const drawn = useMemo(() => one && got.data && strip([
    { value: 'crashed', points: one.points.map((p) => ({ at: p.at, events: p.crashed, users: 0 })) },
    { value: 'others', points: one.points.map((p) => ({ at: p.at, events: p.sessions - p.crashed, users: 0 })) },
  ], got.data.interval_s), [one, got.data])
  if (!drawn) return null
  return (
    <Card title="Its sessions over time">
      <Chart strip={drawn} names={names} colours={colours} height={140} what="session" label={`Sessions of ${version}`} />
    </Card>
  )
}

const names = ['crashed', 'others']
const colours = ['--color-accent', '--series-0'] as const

/** How its sessions ended by device, system and browser. */
function Devices({ scope, version }: { scope: Scope; version: string }) {
  const got = useQuery(asking.devices(scope, version))
  const list = got.data?.devices.filter((d) => d.sessions.all > d.sessions.running).slice(0, 12) ?? []
  if (list.length === 0) return null
  const from = lowest(list.map((d) => d.crash_free_sessions))
  return (
    <Card title="Without a crash, by device" flush note={`Bars from ${percent(from)} to 100 %.`}>
      <Table label="Without a crash, by device" columns={['', 'Value', { name: 'Sessions', right: true }, 'Without a crash']}>
        {list.map((d) => (
          <tr key={`${d.name} ${d.value}`}>
            <td className="soft">{d.name}</td>
            <td className="name">{d.value}</td>
            <td className="text-right" title={counted(d.sessions.crashed, 'crash')}>{count(d.sessions.all)}</td>
            <td className="whitespace-nowrap"><Interval share={d.crash_free_sessions} from={from} /></td>
          </tr>
        ))}
      </Table>
    </Card>
  )
}
