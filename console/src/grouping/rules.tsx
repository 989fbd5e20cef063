import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { counted } from '../core/format.ts'
import { example, firstChange, verdict } from '../core/rules.ts'
import { Editor } from './editor.tsx'
import { OutcomeView, TrialProgress, useTrial } from './outcome.tsx'
import { Ago, Copy, Failed, Loading } from '../shared/parts.tsx'
import { Regroup } from './regroup.tsx'
import { useRole } from '../shared/rights.ts'
import { useSay } from '../shared/say.tsx'
import { option } from '../core/shell.ts'
import { issueAt } from '../core/address.ts'
import { useAddress } from '../shared/address.ts'
import { Alert, Page } from '../shared/page.tsx'

/** A project's rules: the file, what is wrong with it, what it would have done. */
export function RulesPage() {
  const { project, state: { suggestion: n } } = useAddress('rules')
  const saved = useQuery(ask.rules(project))
  const suggested = useQuery(ask.suggestion(project, n))
  const error = saved.error ?? suggested.error
  if (error && (!saved.data || (n > 0 && !suggested.data))) return <Failed error={error} again={() => void Promise.all([saved.refetch(), n > 0 && suggested.refetch()])} />
  if (!saved.data || (n > 0 && !suggested.data)) return <Loading />
  return <Work key={`${project} ${saved.data.version} ${n}`} project={project} saved={saved.data} suggested={n > 0 ? suggested.data?.text : undefined} />
}

function Work({ project, saved, suggested }: { project: string; saved: api.Rules; suggested: string | undefined }) {
  const [text, setText] = useState(suggested ?? (saved.version === 0 ? example : saved.text))
  const words = useQuery(ask.rulesWords())
  const [note, setNote] = useState('')
  const say = useSay()
  const client = useQueryClient()
  const check = useChecked(project, text)
  const trial = useTrial(project)
  const push = useMutation({
    mutationFn: () => api.pushRules(project, text, note, saved.version),
    onSuccess: (v) => {
      say(`Saved as version ${v.version}. It acts within 5 seconds.`)
      client.setQueryData(ask.rules(project).queryKey, v)
      void client.invalidateQueries({ queryKey: ask.rulesHistoryOf(project) })
    },
    onError: (e) => say(e.message, true),
  })
  const may = useRole(project, 'maintainer')
  const changed = text !== saved.text
  const good = check?.good === true
  const save = () => {
    if (may && changed && good) push.mutate()
  }
  const tryOut = () => {
    if (good) trial.run({ text })
  }
  useEffect(() => { // what is suggested is tried at once
    if (suggested !== undefined) trial.run({ text: suggested })
    return trial.cancel
    // Once, when the page opens: a suggestion that changes later is another page.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [])
  return (
    <Page
      title="Rules"
      about={
        <>
          {suggested !== undefined && changed ? 'With a suggestion, tried on stored events. It takes effect when you save it.' : saved.version === 0 ? 'No rules yet: this is an example to begin with.' : <>Version {saved.version}, by {saved.by}, {saved.at && <Ago at={saved.at} />}{saved.note && <>: {saved.note}</>}</>}
        </>
      }
      actions={<Copy text={`firethorn rules pull ${option('--project', project)} rules.yaml`}>Copy as command</Copy>}
    >
      {!may && <p className="soft">You can try rules here; maintainers save them.</p>}
      {saved.off.map((o) => (
        <Alert key={o.rule}>
          The {o.section} rule <b>{o.rule}</b> was switched off <Ago at={o.at} />: {o.why}. Mend it and save; the others act.
        </Alert>
      ))}
      <div className="grid gap-4 lg:grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)]">
        <div className="min-w-0">
          <div className="h-[62vh] overflow-hidden panel">
            <Editor text={text} change={setText} problems={check?.problems ?? []} save={save} tryOut={tryOut} words={words.data?.conditions ?? []} label={`Rules of ${project}`} show={suggested === undefined ? undefined : firstChange(saved.text, suggested)} />
          </div>
          <form
            className="mt-3 flex flex-wrap items-center gap-2"
            onSubmit={(e) => {
              e.preventDefault()
              save()
            }}
          >
            <input className="input input-sm min-w-40 grow" value={note} onChange={(e) => setNote(e.target.value)} placeholder="What changes, for the history" aria-label="What changes, for the history" maxLength={290} />
            <button type="button" className="btn btn-outline btn-sm" disabled={!good || trial.progress !== undefined} onClick={tryOut}>
              {trial.progress ? 'Trying …' : 'Try on stored events'} <kbd className="kbd kbd-xs">Ctrl ⏎</kbd>
            </button>
            <button className="btn btn-primary btn-sm" disabled={!may || !good || !changed || push.isPending}>
              Save as version {saved.version + 1}
            </button>
          </form>
        </div>
        <div className="min-w-0 space-y-4">
          <Checked check={check} />
          {trial.progress && <TrialProgress progress={trial.progress} cancel={trial.cancel} />}
          {trial.error && <Failed error={trial.error} />}
          {trial.data && <Trial project={project} v={trial.data} />}
          {saved.version > 0 && <Regroup project={project} />}
          <History project={project} />
          <Words open={!trial.data} />
        </div>
      </div>
    </Page>
  )
}

/** The service's own check of a text, a moment after the typing stops. */
function useChecked(project: string, text: string) {
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const t = setTimeout(() => setSettled(text), 300)
    return () => clearTimeout(t)
  }, [text])
  const got = useQuery({ ...ask.rulesCheck(project, settled), placeholderData: (before) => before })
  return settled === text && !got.isPlaceholderData ? got.data : got.data && { ...got.data, good: false }
}

function Checked({ check }: { check: { good: boolean; problems: api.RuleProblem[] } | undefined }) {
  const list = check?.problems ?? []
  return (
    <section aria-live="polite" className={`rounded border bg-base-100 p-3 ${list.length > 0 ? 'border-accent' : 'border-base-300'}`}>
      <h2 className="font-semibold">{!check ? 'Checking …' : list.length > 0 ? counted(list.length, 'error') : 'No errors'}</h2>
      <ul className="mt-1 space-y-1">
        {list.map((f, i) => (
          <li key={i} className="grid grid-cols-[4.5rem_minmax(0,1fr)] gap-x-2">
            <span className="soft mono">{f.line}:{f.column}</span>
            <span>
              {f.rule && <b>{f.rule}: </b>}
              {f.message}
              {f.suggestion && <>; did you mean <code className="font-semibold">{f.suggestion}</code>?</>}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Trial({ project, v }: { project: string; v: api.RulesTried }) {
  return (
    <section aria-live="polite" className="panel p-3">
      <h2 className="font-semibold">{verdict(v.events, v.kept)}</h2>
      {v.events > 0 && (
        <p className="soft">
          The newest {counted(v.events, 'event')} whose bodies are kept, the oldest from <Ago at={v.from} />; {counted(v.all, 'event')} were stored since. What was scrubbed before cannot be tried again.
        </p>
      )}
      {v.grouping.rules.length > 0 && (
        <div className="mt-2 border-t border-base-300 pt-2">
          <h3 className="soft">Grouping</h3>
          <OutcomeView project={project} o={v.grouping} />
        </div>
      )}
      {([['Intake', v.intake], ['Scrub', v.scrub], ['Alerts', v.alerts]] as const).map(([name, list]) => list.length > 0 && (
        <div key={name} className="mt-2">
          <h3 className="soft">{name}</h3>
          {list.map((r) => <TrialRow key={r.rule} r={r} />)}
        </div>
      ))}
    </section>
  )
}

function TrialRow({ r }: { r: api.TrialRule }) {
  const trouble = (r.failed ?? 0) + (r.too_costly ?? 0)
  return (
    <details className="border-t border-base-300/60 py-1">
      <summary>
        <b>{r.rule}</b> {r.events === 0 ? <span className="soft">never fitted</span> : r.do === 'send' ? <>would have sent {counted(r.events, 'message')} about {counted(r.issues, 'issue')}</> : <>would {r.do} {counted(r.events, 'event')} of {counted(r.issues, 'issue')}</>}
        {trouble > 0 && <span className="hurts"> · cannot answer for {counted(trouble, 'event')}: {r.why}</span>}
      </summary>
      <ul className="pl-4">
        {r.examples.map((ex) => (
          <li key={ex.event} className="py-0.5">
            <Link className="link-hover font-semibold" to={issueAt(ex.issue, ex.event)}>{ex.words}</Link> <span className="soft">{ex.issue}</span>
            {ex.where && (
              <div className="mono text-[.9rem] break-all">
                <span className="soft">{ex.where}</span>
                <div><del className="text-accent no-underline">− {ex.before}</del></div>
                <div><ins className="text-primary no-underline">+ {ex.after}</ins></div>
              </div>
            )}
          </li>
        ))}
      </ul>
    </details>
  )
}

function History({ project }: { project: string }) {
  const got = useQuery(ask.rulesHistory(project))
  if (!got.data?.versions.length) return null
  return (
    <section className="panel p-3">
      <h2 className="font-semibold">Who changed them</h2>
      <ul>
        {got.data.versions.slice(0, 8).map((h) => (
          <li key={h.version} className="grid grid-cols-[3rem_7rem_minmax(0,1fr)] gap-x-2">
            <span>{h.version}</span>
            <span className="soft"><Ago at={h.at} /></span>
            <span className="break-words">{h.by}{h.note && <span className="soft">: {h.note}</span>}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** What conditions can use. */
function Words({ open }: { open: boolean }) {
  const got = useQuery(ask.rulesWords())
  if (!got.data) return null
  return (
    <details open={open} className="panel p-3">
      <summary className="font-semibold">What rules can use</summary>
      <p className="soft mt-1">Conditions are CEL over the event:</p>
      <dl className="grid grid-cols-[max-content_minmax(0,1fr)] gap-x-3 text-[.95rem]">
        {got.data.conditions.map((w) => (
          <div key={w.name} className="contents">
            <dt className="mono">{w.name}</dt>
            <dd className="soft">{w.doc}</dd>
          </div>
        ))}
      </dl>
      <p className="soft mt-2">
        Grouping rules have <code>when</code>, and <code>extend</code> or <code>replace</code> with values filled in: <code>{'${berth.zone}'}</code> is an attribute, <code>{'${origin.function}'}</code> or <code>{'${message.shape()}'}</code> an expression. Frame rules name <code>path</code>, <code>module</code> or <code>function</code>, and <code>do</code> own, vendor or look-through.
      </p>
      <p className="soft mt-2">
        Scrub rules name fields (<code>names</code>, globs), <code>kinds</code> or a pattern (<code>match</code>), and <code>do</code> remove, shorten or keep. Kinds: {got.data.kinds.join(', ')}.
      </p>
    </details>
  )
}
