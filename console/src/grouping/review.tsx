import { lost } from '../core/current.ts'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count, counted, day } from '../core/format.ts'
import { OutcomeView, TrialProgress, useTrial } from './outcome.tsx'
import { Copy, Failed, Loading } from '../shared/parts.tsx'
import { Regroup } from './regroup.tsx'
import { useSay } from '../shared/say.tsx'
import { option } from '../core/shell.ts'
import { issueAt, pageAt } from '../core/address.ts'
import { Page } from '../shared/page.tsx'

const kinds: [api.Finding['kind'], string, string][] = [
  ['pieces', 'One cause in pieces', 'Issues that look like one cause.'],
  ['mixed', 'Several causes in one', 'Issues with very different traces.'],
  ['noise', 'Noise', 'Many events of few users, without new information.'],
]

/** What is grouped badly, how variable grouping is, and by which version. */
export function GroupingPage() {
  const { project = '' } = useParams()
  const got = useQuery(ask.review(project))
  const trial = useTrial(project)
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const v = got.data
  return (
    <Page title="Grouping" about="Badly grouped issues, and a rule for each." actions={<Copy text={`firethorn group review ${option('--project', project)}`}>Copy as command</Copy>}>
      <Variability v={v} />
      <div className="grid gap-4 lg:grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)]">
        <div className="min-w-0 space-y-4">
          {v.making > 0 && <p role="status" className="soft">{counted(v.making, 'variant')} {v.making === 1 ? 'is' : 'are'} not compared yet.</p>}
          {v.findings.length === 0 && (
            <section className="panel p-4">
              <h2 className="font-semibold">Nothing to mend</h2>
              <p className="soft mt-1">Causes in several issues, issues of several causes and noise would be here, each with a rule to try. What you see yourself you can mend under <Link className="link" to={pageAt(project, 'rules')}>Rules</Link>, or by merging and splitting.</p>
            </section>
          )}
          {kinds.map(([kind, title, words]) => {
            const list = v.findings.map((f, i) => ({ f, n: i + 1 })).filter((x) => x.f.kind === kind)
            return list.length > 0 && (
              <section key={kind} aria-labelledby={kind}>
                <h2 id={kind} className="font-semibold">{title} <span className="soft font-normal">{words}</span></h2>
                <ul className="mt-1 space-y-2">
                  {list.map(({ f, n }) => <FindingView key={f.words} project={project} f={f} n={n} tryVersion={(version) => trial.run({ grouping_version: version })} />)}
                </ul>
              </section>
            )
          })}
        </div>
        <div className="min-w-0 space-y-4">
          {trial.progress && <TrialProgress progress={trial.progress} cancel={trial.cancel} />}
          {trial.error && <Failed error={trial.error} />}
          {trial.data && (
            <section aria-live="polite" className="panel p-3">
              <h2 className="font-semibold">Version {trial.data.grouping.grouping_version} of the algorithm, tried</h2>
              <OutcomeView project={project} o={trial.data.grouping} />
            </section>
          )}
          <Versions project={project} tryIt={(version) => trial.run({ grouping_version: version })} />
          <Regroup project={project} all />
        </div>
      </div>
    </Page>
  )
}

const width = 560
const height = 64

/** The figure, and how it was on the days before. */
function Variability({ v }: { v: api.GroupingReview }) {
  const step = width / Math.max(1, v.days.length)
  const most = Math.max(10, ...v.days.map((d) => d.variability))
  return (
    <section className="panel flex flex-wrap items-center gap-x-8 gap-y-2 p-3" aria-label="Variability">
      <div>
        <p className="text-2xl font-semibold">{Math.round(v.variability)} % variability</p>
        <p className="soft max-w-80">{counted(v.issues, 'issue')} look like {counted(v.causes, 'cause')}; {count(v.mixed)} hold several. 0 % is one issue for each cause.</p>
        {v.followed > 0 && <p className="soft max-w-80">In the last 30 days {counted(v.followed, 'issue')} followed a function that moved to another file.</p>}
      </div>
      {v.days.length > 1 && (
        <figure className="min-w-0 grow">
          <svg viewBox={`0 0 ${width} ${height}`} className="block w-full max-w-3xl" role="img" aria-label={`Variability by day, from ${Math.round(v.days[0]?.variability ?? 0)} to ${Math.round(v.days.at(-1)?.variability ?? 0)} percent`}>
            <line className="ground" x1="0" x2={width} y1={height - 0.5} y2={height - 0.5} />
            {v.days.map((d, i) => (
              <g key={d.day}>
                <title>{`${day(d.day)}: ${Math.round(d.variability)} %, ${d.issues} issues look like ${d.causes} causes`}</title>
                <rect x={step * i} width={step} height={height} fill="transparent" />
                <rect x={step * i + step * 0.15} width={step * 0.7} y={height - Math.max(1, (d.variability / most) * (height - 4))} height={Math.max(1, (d.variability / most) * (height - 4))} fill="var(--color-secondary)" />
              </g>
            ))}
          </svg>
          <figcaption className="soft flex max-w-3xl justify-between text-[.9rem]"><span>{day(v.days[0]!.day)}</span><span>issues that look wrongly grouped, of those seen that day; top {Math.round(most)} %</span><span>{day(v.days.at(-1)!.day)}</span></figcaption>
        </figure>
      )}
    </section>
  )
}

function FindingView({ project, f, n, tryVersion }: { project: string; f: api.Finding; n: number; tryVersion: (version: number) => void }) {
  return (
    <li className="panel p-3">
      <div className="flex flex-wrap items-start gap-x-3">
        <div className="min-w-0 grow basis-96">
          <p className="font-semibold break-words">{f.words}</p>
          <p className="soft first-letter:uppercase">{f.why}.</p>
        </div>
        {f.grouping_version ? (
          <button className="btn btn-primary btn-sm" onClick={() => tryVersion(f.grouping_version!)}>Try version {f.grouping_version}</button>
        ) : (
          <Link className="btn btn-primary btn-sm" to={pageAt(project, 'rules', { suggestion: n })}>Try the rule</Link>
        )}
      </div>
      <ul className="mt-1">
        {f.issues.slice(0, 5).map((i) => (
          <li key={i.number} className="grid grid-cols-[7.5rem_6.5rem_5.5rem_minmax(0,1fr)] gap-x-3">
            <Link className="link-hover" to={issueAt(`${project}/${i.number}`)}>{project}/{i.number}</Link>
            <span className="text-right">{counted(i.events, 'event')}</span>
            <span className="text-right">{counted(i.users, 'user')}</span>
            <span className="soft truncate">{i.headline}</span>
          </li>
        ))}
        {f.issues.length - 5 + (f.more ?? 0) > 0 && <li className="soft">and {count(f.issues.length - 5 + (f.more ?? 0))} more</li>}
      </ul>
      <p className="mt-1">The suggestion {f.does}.</p>
      {f.rule && (
        <details className="mt-1">
          <summary className="soft">the rule, for the section {f.section}</summary>
          <pre className="mono mt-1 overflow-x-auto rounded bg-base-200 p-2">{f.rule}</pre>
        </details>
      )}
    </li>
  )
}

/** The versions of the algorithm, and the project's own. */
function Versions({ project, tryIt }: { project: string; tryIt: (version: number) => void }) {
  const say = useSay()
  const client = useQueryClient()
  const got = useQuery(ask.regroupings(project))
  const adopt = useMutation({
    mutationFn: (version: number) => api.adoptGrouping(project, version),
    onSuccess: (_, version) => {
      say(`New events are grouped by version ${version}. Regroup to apply it to stored events too.`)
      void client.invalidateQueries({ queryKey: ask.allOf(project) })
    },
    onError: (e) => say(e.message, true),
  })
  if (!got.data) return null // that it failed is said beside
  const now = got.data.wanted || got.data.grouping_version
  return (
    <section className="panel p-3" aria-labelledby="versions">
      <h2 id="versions" className="font-semibold">The algorithm</h2>
      <ul className="mt-1 space-y-1">
        {got.data.versions.map((x) => (
          <li key={x.version} className="grid grid-cols-[5rem_minmax(0,1fr)_auto] items-start gap-x-2">
            <span className={x.version === now ? 'font-semibold' : ''}>version {x.version}</span>
            <span className="soft">{x.words}</span>
            {x.version === now ? <span className="font-semibold">in use</span> : (
              <span className="flex gap-1">
                <button className="btn btn-outline btn-xs" onClick={() => tryIt(x.version)} aria-label={`Try version ${x.version}`}>Try</button>
                <button className="btn btn-outline btn-xs" onClick={() => adopt.mutate(x.version)} aria-label={`Adopt version ${x.version}`}>Adopt</button>
              </span>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}
