import { useRef, useState } from 'react'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import { count, counted } from '../core/format.ts'
import { change, sideName, summary } from '../core/trial.ts'
import { issueAt } from '../core/address.ts'

/** A trial under way, with its progress and a way to end it. */
export function useTrial(project: string) {
  const [state, setState] = useState<{ looked: number; of: number } | undefined>()
  const [data, setData] = useState<api.RulesTried>()
  const [error, setError] = useState<Error>()
  const running = useRef<AbortController | undefined>(undefined)
  const run = (of: api.TrialOf) => {
    running.current?.abort()
    const own = new AbortController()
    running.current = own
    setError(undefined)
    setData(undefined)
    setState({ looked: 0, of: 0 })
    api.watchTrial(project, of, (looked, all) => running.current === own && setState({ looked, of: all }), own.signal).then(
      (v) => running.current === own && (setData(v), setState(undefined)),
      (e: Error) => running.current === own && (setState(undefined), e.name !== 'AbortError' && setError(e)),
    )
  }
  const cancel = () => {
    running.current?.abort()
    running.current = undefined
    setState(undefined)
  }
  return { run, cancel, progress: state, data, error }
}

/** How far a trial is. */
export function TrialProgress({ progress, cancel }: { progress: { looked: number; of: number }; cancel: () => void }) {
  return (
    <div role="status" className="flex items-center gap-3 panel p-3">
      <progress className="progress progress-primary grow" value={progress.looked} max={Math.max(1, progress.of)} aria-label="Events looked at" />
      <span className="soft whitespace-nowrap">{count(progress.looked)} of {progress.of ? counted(progress.of, 'event') : '…'}</span>
      <button type="button" className="btn btn-outline btn-xs" onClick={cancel}>Cancel</button>
    </div>
  )
}

/** What would become of issues: merges and splits, each with examples before and after. */
export function OutcomeView({ project, o }: { project: string; o: api.Outcome }) {
  const never = o.rules.filter((r) => r.events === 0 && !r.failed && !r.too_costly)
  return (
    <div>
      <p className="font-semibold">{summary(o)}</p>
      {o.merges.map((m) => (
        <Change key={`m${m.into.number ?? 0}.${m.into.new ?? 0}`} project={project} title={<>Into <b>{sideName(project, m.into)}</b></>} head={m.into} sides={m.from} word={(s) => (s.number === m.into.number && s.number ? 'stays' : s.gone ? 'its number would redirect there' : 'this part of it')} />
      ))}
      {o.splits.map((s) => (
        <Change key={`s${s.from.number ?? 0}`} project={project} title={<><b>{sideName(project, s.from)}</b> would be split</>} head={s.from} sides={s.into} word={(x) => (x.number === s.from.number && !x.new ? 'stays' : 'goes there')} />
      ))}
      {o.more ? <p className="soft mt-2">{counted(o.more, 'more change')} {o.more === 1 ? 'is' : 'are'} not listed.</p> : null}
      {o.rules.length > 0 && (
        <table className="mt-3 w-full [&_td]:py-0.5 [&_td]:pr-3 [&_th]:pr-3" aria-label="Rules that were tried">
          <thead>
            <tr className="soft text-left"><th className="font-normal">Rule</th><th className="font-normal">Section</th><th className="text-right font-normal">Events</th><th className="text-right font-normal">Issues</th></tr>
          </thead>
          <tbody>
            {o.rules.map((r) => (
              <tr key={`${r.section} ${r.rule}`} className="border-t border-base-300/60 align-top">
                <td>
                  {r.rule}
                  {(r.failed ?? 0) + (r.too_costly ?? 0) > 0 && <span className="hurts"> · cannot answer for {counted((r.failed ?? 0) + (r.too_costly ?? 0), 'event')}: {r.why}</span>}
                  {r.empty ? <span className="soft"> · {counted(r.empty, 'event')} lack its values</span> : null}
                </td>
                <td className="soft">{r.section}</td>
                <td className="text-right">{r.events === 0 ? <span className="soft">never matched</span> : count(r.events)}</td>
                <td className="text-right">{r.issues > 0 && count(r.issues)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {never.length > 0 && never.length === o.rules.length && <p className="soft mt-1">No rule matched an event. Is the condition right, and are matching events among the newest?</p>}
    </div>
  )
}

function name(project: string, s: api.Side) {
  return s.new ? <b>{sideName(project, s)}</b> : <Link className="link-hover font-semibold" to={issueAt(`${project}/${s.number}`)}>{sideName(project, s)}</Link>
}

function Change(p: { project: string; title: React.ReactNode; head: api.Side; sides: api.Side[]; word: (s: api.Side) => string }) {
  return (
    <details className="mt-2 rounded border border-base-300" open={p.sides.length <= 6}>
      <summary className="px-3 py-1.5">
        {p.title}: <span className="soft">{p.head.headline} · {counted(p.head.events, 'event')}, {counted(p.head.users, 'user')}{p.head.rule && <> · by {p.head.rule}</>}</span>
      </summary>
      <ul className="border-t border-base-300">
        {p.sides.map((s) => (
          <li key={`${s.number ?? 0}.${s.new ?? 0}`} className="border-b border-base-300/60 px-3 py-1 last:border-0">
            <div className="grid grid-cols-[8.5rem_5.5rem_5rem_minmax(0,1fr)] gap-x-3">
              <span>{name(p.project, s)}</span>
              <span className="text-right">{counted(s.events, 'event')}</span>
              <span className="text-right">{counted(s.users, 'user')}</span>
              <span className="min-w-0 truncate" title={s.headline}>{s.headline}</span>
              <span className="soft col-start-4 min-w-0 truncate">{p.word(s)}{s.rule && s.rule !== p.head.rule && ` · ${s.rule}`}</span>
            </div>
            {s.examples?.[0] && (
              <details className="mt-0.5">
                <summary className="soft text-[.93rem]">an event, before and after</summary>
                <Link className="link-hover soft" to={issueAt(`${p.project}/${s.number ?? p.head.number}`, s.examples[0].event)}>{s.examples[0].message || s.examples[0].event}</Link>
                <pre className="mono overflow-x-auto text-[.9rem]">
                  {change(s.examples[0].before, s.examples[0].after).map((l, i) => (
                    <div key={i} className={l.sign === '+' ? 'text-primary' : l.sign === '−' ? 'text-accent' : 'soft'}>{l.sign} {l.what} {l.value}</div>
                  ))}
                </pre>
              </details>
            )}
          </li>
        ))}
      </ul>
    </details>
  )
}
