import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count, counted } from '../core/format.ts'
import { bars, names as words, parts } from '../core/received.ts'
import { strip } from '../core/strip.ts'
import { Chart } from '../shared/chart.tsx'
import type { Bar, Part } from '../core/received.ts'
import { Ago, Copy, Empty, Failed, Loading } from '../shared/parts.tsx'
import { option } from '../core/shell.ts'
import { pageAt } from '../core/address.ts'
import { useAddress } from '../shared/address.ts'
import { Alert, Choice, Page } from '../shared/page.tsx'

const windows: [number, string][] = [[24, '24 hours'], [168, '7 days'], [720, '30 days']]
const paints: Record<Part, string> = { stored: '--color-primary', dropped: '--color-secondary', over_allowance: '--color-warning', refused: '--color-accent' }

/** What came in, what became of it, and why. */
export function ReceivedPage() {
  const { project, state: { hours }, set } = useAddress('received')
  const got = useQuery(ask.received(project, hours))
  const drawn = useMemo(() => (got.data ? bars(got.data.hours, got.data.from, got.data.to) : []), [got.data])
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const v = got.data
  return (
    <Page
      title="Received"
      about={<>{v.allowance.minute > 0 ? `${count(v.allowance.minute)} events a minute` : 'Any number a minute'}, {v.allowance.day > 0 ? `${count(v.allowance.day)} a day` : 'any number a day'} may come in.</>}
      actions={
        <>
          <Choice label="Window" all={windows} now={hours} choose={(h) => set({ hours: h })} />
          <Copy text={`firethorn received ${option('--project', project)} --hours ${hours}`}>Copy as command</Copy>
        </>
      }
    >
      {v.rules_off.map((o) => (
        <Alert key={o.rule}>
          The {o.section} rule <b>{o.rule}</b> was switched off <Ago at={o.at} />: {o.why}. <Link className="link" to={pageAt(project, 'rules')}>Mend it</Link>
        </Alert>
      ))}
      {v.hours.length === 0 ? (
        <Empty title="Nothing came in">
          <p>Every event that is sent is counted here: stored, dropped by a rule, turned away, refused, and why.</p>
          <p className="mt-2">
            <Link className="link" to={pageAt(project, 'set-up')}>Set the application up</Link>, or choose a longer window.
          </p>
        </Empty>
      ) : (
        <>
          <Histogram bars={drawn} sum={v.sum} />
          {v.sum.sessions + v.sum.feedback > 0 && <p className="soft mt-2">Beside them {counted(v.sum.sessions, 'message')} about sessions, and feedback {counted(v.sum.feedback, 'time')}.</p>}
          <Causes list={v.causes} />
        </>
      )}
    </Page>
  )
}

const names = parts.map((p) => words[p])
const colours = parts.map((p) => paints[p])

function Histogram({ bars, sum }: { bars: Bar[]; sum: api.Received['sum'] }) {
  const drawn = useMemo(() => strip(parts.map((p) => ({ value: words[p], points: bars.map((b) => ({ at: b.from, events: b.counts[p], users: 0 })) })), (bars[0]?.hours ?? 1) * 3600), [bars])
  return (
    <div className="panel p-3">
      <p className="mb-2 flex flex-wrap gap-x-5">
        {parts.map((p) => (
          <span key={p} className="flex items-center gap-1.5">
            <svg width="11" height="11" aria-hidden="true"><rect width="11" height="11" rx="2" fill={`var(${paints[p]})`} /></svg>
            <b>{count(sum[p])}</b> {words[p]}
          </span>
        ))}
        {sum.repeats > 0 && <span className="soft">{counted(sum.repeats, 'repeat')}</span>}
        {sum.joined > 0 && <span className="soft" title="reports of an exception that another report had made an event of already">{counted(sum.joined, 'second report')}</span>}
        {sum.cut > 0 && <span className="soft">{count(sum.cut)} cut</span>}
        {sum.set_aside > 0 && <span className="hurts">{count(sum.set_aside)} failed</span>}
        {sum.lost_by_client > 0 && <span className="soft">{count(sum.lost_by_client)} lost by clients</span>}
      </p>
      <Chart strip={drawn} names={names} colours={colours} legend={false} height={180} label="Events that came in, by what became of them" />
    </div>
  )
}

function Causes({ list }: { list: api.Received['causes'] }) {
  if (list.length === 0) return <p className="soft mt-4">Everything was stored unchanged.</p>
  return (
    <section className="panel" aria-labelledby="causes">
      <h2 id="causes" className="border-b border-base-300 px-3 py-2 font-semibold">What was not simply stored</h2>
      <ul>
        {list.map((c) => (
          <li key={c.cause + c.rule} className="border-b border-base-300/60 last:border-0">
            <details className="group">
              <summary className="grid grid-cols-[1rem_4.5rem_9rem_minmax(0,1fr)] gap-x-4 px-3 py-1.5 hover:bg-base-200">
                <span className="soft transition-transform group-open:rotate-90" aria-hidden="true">▸</span>
                <span className="text-right font-semibold">{count(c.events)}</span>
                <span>{c.cause.replaceAll('_', ' ')}</span>
                <span className="min-w-0 truncate">
                  {c.rule && <b>{c.rule}</b>} <span className="soft">{c.words}</span>
                </span>
              </summary>
              <ul className="space-y-1 px-3 pb-2 pl-[2.8rem]">
                {c.examples.length === 0 && <li className="soft">No example was kept.</li>}
                {c.examples.map((e) => (
                  <li key={e.at + e.words} className="grid grid-cols-[5.5rem_minmax(0,1fr)] gap-x-4">
                    <span className="soft text-right"><Ago at={e.at} /></span>
                    <span className="mono min-w-0 break-words">{e.words}</span>
                  </li>
                ))}
              </ul>
            </details>
          </li>
        ))}
      </ul>
    </section>
  )
}
