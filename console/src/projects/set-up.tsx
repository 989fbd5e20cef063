import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { counted } from '../core/format.ts'
import { args, option } from '../core/shell.ts'
import { Check } from '../shared/icons.tsx'
import { Page } from '../shared/page.tsx'
import { Copy, Failed, Loading } from '../shared/parts.tsx'
import { issueAt, pageAt } from '../core/address.ts'
import { useAddress } from '../shared/address.ts'

/** How an application reports, step by step, with the project's own key, and whether it does. */
export function SetUp({ project }: { project: string }) {
  const { state: { runtime }, set } = useAddress('set-up')
  const p = useQuery(ask.project(project))
  const g = useQuery(ask.setUp(project, runtime))
  const failed = p.error ?? g.error
  if (failed) return <Failed error={failed} again={() => void Promise.all([p.refetch(), g.refetch()])} />
  if (!p.data || !g.data) return <Loading />
  const first = g.data.steps.filter((s) => !s.later)
  const later = g.data.steps.filter((s) => s.later)
  return (
    <Page title={`Set up ${project}`} about={g.data.about} actions={<Copy text={`firethorn project set-up --runtime ${runtime} ${args(project)}`}>Copy as command</Copy>}>
      <fieldset>
        <legend className="soft mb-1">It runs in</legend>
        <div className="flex flex-wrap gap-1.5">
          {g.data.runtimes.map((r) => (
            <label key={r.id} className={`btn btn-sm font-normal has-focus-visible:outline-2 has-focus-visible:outline-offset-2 ${r.id === runtime ? 'btn-primary' : 'btn-outline'}`}>
              <input type="radio" name="runtime" className="sr-only" checked={r.id === runtime} onChange={() => set({ runtime: r.id }, true)} />
              {r.name}
            </label>
          ))}
        </div>
      </fieldset>
      <Arrival project={project} events={p.data.events} />
      <div className="max-w-5xl">
      <Steps steps={first} from={1} />
      {later.length > 0 && (
        <>
          <h2 className="mt-6 mb-3 text-lg font-semibold">Then, in the build or the deployment</h2>
          <Steps steps={later} from={first.length + 1} />
        </>
      )}
      </div>
    </Page>
  )
}

function Steps({ steps, from }: { steps: api.SetUp['steps']; from: number }) {
  return (
    <ol className="space-y-4" start={from}>
      {steps.map((s, i) => {
        const text = (s.run ?? s.text ?? '').replace(/\n$/, '')
        return (
          <li key={s.title}>
            <div className="flex flex-wrap items-baseline gap-x-3">
              <h2 className="font-semibold">{from + i}. {s.title}</h2>
              {s.file && <span className="mono soft break-all">{s.file}</span>}
              <span className="grow" />
              {text && <Copy text={text}>Copy</Copy>}
            </div>
            {s.why && <p className="soft">{s.why}</p>}
            {text && <pre className="shell mt-1" tabIndex={0} aria-label={s.title}>{text}</pre>}
          </li>
        )
      })}
    </ol>
  )
}

/** Whether anything has come, and whether it can be read: said as it comes. */
function Arrival({ project, events }: { project: string; events: number }) {
  const latest = useQuery({ ...ask.arrival(project), enabled: events > 0 })
  const issue = latest.data?.issues[0]
  if (events === 0) {
    return (
      <div role="status" className="panel px-3 py-2">
        <span className="status status-info mr-2 animate-pulse" aria-hidden="true" />
        <b className="font-semibold">Nothing has arrived yet; listening.</b> <span className="soft">It is shown here as soon as it is processed. From the terminal: <code className="mono whitespace-nowrap">firethorn send --project {project}</code></span>
      </div>
    )
  }
  return (
    <div role="status" className="panel appear border-primary px-3 py-2">
      <p className="font-semibold"><Check className="inline size-4 align-[-2px] text-primary" /> {counted(events, 'event')} {events === 1 ? 'has' : 'have'} arrived.</p>
      {issue && (
        <p className="mt-1">
          The latest: <Link className="link" to={issueAt(issue.id)}>{issue.headline}</Link>
          {issue.place && <span className="mono soft"> {issue.place}</span>}
          {issue.message && <span className="soft block truncate">{issue.message}</span>}
        </p>
      )}
      <Readable project={project} />
      <p className="mt-1"><Link className="link" to={pageAt(project, 'issues')}>All issues</Link></p>
    </div>
  )
}

/** Whether traces can be read, and the command that helps if not. */
function Readable({ project }: { project: string }) {
  const unread = useQuery({ ...ask.unread(project), refetchInterval: 5000 })
  if (!unread.data) return null
  const worst = unread.data.releases[0]
  if (!worst) return <p className="mt-1"><Check className="inline size-4 align-[-2px] text-primary" /> Its trace can be read.</p>
  return (
    <div className="mt-1">
      <p className="text-warning">
        Traces of {worst.release ? <>release <span className="mono">{worst.release}</span></> : 'events without a release'} cannot be read yet: {counted(worst.events, 'event')} name built files.{' '}
        <Link className="link" to={pageAt(project, 'symbols', { release: worst.release })}>Searched symbols</Link>
      </p>
      {worst.release && <p className="mt-1 flex flex-wrap items-center gap-x-2"><code className="mono">firethorn symbols push {option('--project', project)} {option('--release', worst.release)} dist</code> <Copy text={`firethorn symbols push ${option('--project', project)} ${option('--release', worst.release)} dist`}>Copy</Copy></p>}
    </div>
  )
}

export function SetUpPage() {
  const { project = '' } = useParams()
  return <SetUp project={project} />
}
