import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import type { ReactNode } from 'react'
import { act, deleteIssue, mergeIssues, splitIssue } from '../api/client.ts'
import type { Act, Issue, ManyVerb, SplitBy, Verb } from '../api/client.ts'
import * as queries from '../api/queries.ts'
import { keyOf } from '../core/keys.ts'
import type { Doing } from '../core/keys.ts'
import { severer } from '../core/round.ts'
import { useKeys } from '../shared/keys.ts'
import { useRole } from '../shared/rights.ts'
import { ManyDialog, useMany } from './many.tsx'
import { MergeDialog } from './merge.tsx'
import type { MergeChoice } from './merge.tsx'
import { Buttons, Dialog } from '../shared/parts.tsx'
import { stepWords } from '../core/undo.ts'
import { useSay } from '../shared/say.tsx'
import { DeleteDialog, FixDialog, ParkDialog } from './settle.tsx'
import { SplitDialog } from './split.tsx'
import { decidedIn } from './decided.ts'
import { remember, useUndo } from './undo.ts'

/** What a dialog asks, and about what: its subject stays, whatever is selected meanwhile. */
type Asking = { what: 'assign' | 'fix' | 'park' | 'merge' | 'split' | 'delete'; subject: Subject } | undefined

/** What a decision is about. */
interface Subject {
  issue: Issue
  marked: Issue[]
  all: { state: string; search: string; window: string; count: number } | undefined
}

/** The dialog of a decision, about the subject it was opened for. */
function AskedDialog({ asking: { what, subject }, close, run, merge, part, remove }: {
  asking: NonNullable<Asking>; close: () => void; run: (verb: ManyVerb, body: Act, of: Subject) => void
  merge: (c: MergeChoice) => void; part: (d: { id: string; by: SplitBy }) => void; remove: (d: { id: string; events: number }) => void
}) {
  const { issue, marked } = subject
  switch (what) {
    case 'park': return <ParkDialog issue={issue} close={close} done={(body) => run('park', body, subject)} />
    case 'fix': return <FixDialog issue={issue} close={close} done={(body) => run('fix', body, subject)} />
    case 'assign': return <AssignDialog issue={issue} close={close} done={(to) => run('assign', { to }, subject)} />
    case 'delete': return <DeleteDialog issue={issue} close={close} done={(events) => remove({ id: issue.id, events })} />
    case 'merge': return (
      <MergeDialog
        chosen={marked.length > 0 ? marked : [issue]}
        close={close}
        done={(c) => {
          close()
          merge(c)
        }}
      />
    )
    case 'split': return (
      <SplitDialog
        issue={issue}
        close={close}
        done={(by) => {
          close()
          part({ id: issue.id, by })
        }}
      />
    )
  }
}

/** The bar of decisions about one issue, those that are marked, or all of a filter, with a key for each; splitting is offered where its events are in sight. */
export function DecisionBar(bar: DecisionBarOf) {
  const may = useRole(queries.projectOf(bar.issue.id), 'member')
  if (may) return <Decisions {...bar} />
  return (
    <div role="note" className="sticky bottom-0 z-10 flex flex-wrap items-center gap-1.5 border-t border-base-300 bg-base-100 px-(--edge) py-2">
      <span className="soft">You are a viewer here: you read and comment. Members decide about issues.</span>
      <span className="grow" />
      {bar.more}
    </div>
  )
}

interface DecisionBarOf {
  issue: Issue; label: string; more?: ReactNode; marked?: Issue[]; all?: { state: string; search: string; window: string; count: number } | undefined; decided?: (ids: string[]) => void
  merged?: (into: string) => void; split?: (part: string) => void; deleted?: () => void
}

function Decisions({ issue, label, more, marked = [], all, decided, merged, split, deleted }: DecisionBarOf) {
  const deletes = useRole(queries.projectOf(issue.id), 'maintainer')
  const client = useQueryClient()
  const say = useSay()
  const [asking, setAsking] = useState<Asking>()
  const back = useUndo()
  const here: Subject = { issue, marked, all }
  const ask = (what: NonNullable<Asking>['what']) => setAsking({ what, subject: here })
  const close = () => setAsking(undefined)
  const project = issue.id.split('/')[0] ?? ''
  const again = () => void client.invalidateQueries({ queryKey: queries.allOf(project) })
  const failed = (e: Error) => {
    say(e.message, true)
    again()
  }
  // Decisions come faster than lists are read again: each builds on the answer
  // to the one before, and they leave one after the other.
  const versions = useRef(new Map<string, number>())
  const versionOf = (i: Issue) => Math.max(i.version, versions.current.get(i.id) ?? 0)
  const decide = useMutation({
    scope: { id: 'decide' },
    mutationFn: async (d: { issue: Issue; verb: Verb; body?: Act }) => {
      const before = versionOf(d.issue)
      return { before, now: await act(d.issue.id, d.verb, d.body, before) }
    },
    onSuccess: ({ before, now }, d) => {
      versions.current.set(now.id, now.version)
      if (now.version !== before) remember({ kind: 'one', id: now.id, before, now: now.version, words: stepWords(d.verb, now.id) })
      say([`${now.id}: ${now.standing}`, ...(now.notes ?? [])].join('; '))
      decided?.([now.id])
      decidedIn(client, now)
    },
    onError: failed,
  })
  const many = useMany(project, (ids) => decided?.(ids))
  const [sure, setSure] = useState<{ verb: ManyVerb; body: Act; all: NonNullable<Subject['all']> }>()
  const run = (verb: ManyVerb, body: Act = {}, of: Subject = here) => {
    close()
    if (of.all) setSure({ verb, body, all: of.all })
    else if (of.marked.length > 1) many(verb, body, { marked: of.marked })
    else decide.mutate({ issue: of.issue, verb, body })
  }
  const of = all ? all.count : marked.length > 1 ? marked.length : 0
  const merge = useMutation({
    scope: { id: 'decide' },
    mutationFn: (c: MergeChoice) => mergeIssues(c.from, c.into),
    onSuccess: (now, c) => {
      remember({ kind: 'merged', ids: c.from, words: stepWords('merge', c.from.join(', ')) })
      say(`${c.from.join(', ')} merged into ${now.id}`)
      decided?.(c.from)
      merged?.(now.id)
      again()
    },
    onError: failed,
  })
  const remove = useMutation({
    scope: { id: 'decide' },
    mutationFn: (d: { id: string; events: number }) => deleteIssue(d.id, d.events),
    onSuccess: (gone) => {
      close()
      say(`${gone.issue} is deleted, with ${gone.events} events`)
      decided?.([gone.issue])
      again()
      deleted?.()
    },
    onError: (e) => say(e.message, true),
  })
  const part = useMutation({
    scope: { id: 'decide' },
    mutationFn: (d: { id: string; by: SplitBy }) => splitIssue(d.id, d.by),
    onSuccess: (now) => {
      remember({ kind: 'one', id: now.id, before: 0, now: now.version, words: stepWords('split', now.id) })
      say(`${now.id} was split off`)
      split?.(now.id)
      again()
    },
    onError: failed,
  })
  const open = ['new', 'accepted', 'regressed'].includes(issue.state)
  const doings: { does: Doing<'decide'>; words: string; on: boolean; run: () => void }[] = [
    { does: 'accept', words: 'Accept', on: of > 0 || ['new', 'regressed', 'parked'].includes(issue.state), run: () => run('accept') },
    { does: 'assign', words: 'Assign', on: true, run: () => ask('assign') },
    { does: 'park', words: 'Park', on: of > 0 || open || issue.state === 'parked', run: () => ask('park') },
    { does: 'fix', words: 'Fixed', on: true, run: () => ask('fix') },
    open ? { does: 'dismiss', words: 'Dismiss', on: true, run: () => run('dismiss') } : { does: 'reopen', words: 'Reopen', on: true, run: () => run('reopen') },
    { does: 'merge', words: marked.length > 1 ? `Merge ${marked.length}` : 'Merge', on: !all, run: () => ask('merge') },
    ...(split ? [{ does: 'split' as const, words: 'Split', on: true, run: () => ask('split') }] : []),
    { does: 'undo', words: back.words ? `Undo: ${back.words}` : 'Undo', on: back.words !== undefined, run: back.undo },
  ]
  const grade = (by: 1 | -1) => {
    const to = severer(issue.severity, by)
    if (to && of === 0) run('severity', { severity: to })
  }
  useKeys('decide', { ...Object.fromEntries(doings.map((d) => [d.does, d.on ? d.run : undefined])), raise: () => grade(1), lower: () => grade(-1) })
  return (
    <div role="toolbar" aria-label={`Decide about ${issue.id}`} className="sticky bottom-0 z-10 flex flex-wrap items-center gap-1.5 border-t border-base-300 bg-base-100 px-(--edge) py-2">
      <span className="soft mr-2 hidden max-w-72 truncate sm:inline">{label}</span>
      {doings.map((d) => (
        <button key={d.words} className="btn btn-outline btn-sm font-normal" disabled={!d.on} onClick={d.run} aria-keyshortcuts={keyOf('decide', d.does)}>
          {d.words} <kbd className="kbd kbd-xs" aria-hidden="true">{keyOf('decide', d.does)}</kbd>
        </button>
      ))}
      <details className="dropdown dropdown-top">
        <summary className="btn btn-outline btn-sm font-normal">More …</summary>
        <div className="dropdown-content z-20 mb-1 flex w-64 flex-col panel p-1">
          {([['Raise its severity', keyOf('decide', 'raise'), 1], ['Lower its severity', keyOf('decide', 'lower'), -1]] as const).map(([words, key, by]) => (
            <button key={key} className="btn btn-ghost btn-sm justify-between font-normal" disabled={of > 0 || !severer(issue.severity, by)} onClick={() => grade(by)} aria-keyshortcuts={key}>
              {words} <kbd className="kbd kbd-xs" aria-hidden="true">{key}</kbd>
            </button>
          ))}
          <button className="btn btn-ghost btn-sm justify-start font-normal" disabled={issue.count_only === true} onClick={() => run('count-only')} title="dismiss it, and keep no bodies of its events from now on">Count it only</button>
          {deletes && <button className="btn btn-ghost btn-sm justify-start font-normal" disabled={of > 0} onClick={() => ask('delete')}>Delete …</button>}
        </div>
      </details>
      <span className="grow" />
      {more}
      {sure && (
        <ManyDialog
          verb={sure.verb}
          count={sure.all.count}
          close={() => setSure(undefined)}
          done={() => {
            setSure(undefined)
            many(sure.verb, sure.body, { all: sure.all })
          }}
        />
      )}
      {asking && <AskedDialog asking={asking} close={close} run={run} merge={merge.mutate} part={part.mutate} remove={remove.mutate} />}
    </div>
  )
}

/** Asks who should have an issue: who has it, whom it is proposed to, or oneself comes first. */
export function AssignDialog({ issue, proposed, close, done }: { issue: Issue; proposed?: string | undefined; close: () => void; done: (to: string) => void }) {
  const members = useQuery(queries.members(queries.projectOf(issue.id)))
  const list = useQuery(queries.people())
  const who = useQuery(queries.me())
  const people = new Map(members.data?.members.filter((m) => !m.team).map((m) => [m.name, m.email]))
  const ready = list.data !== undefined && members.data !== undefined
  const form = useRef<HTMLFormElement>(null)
  const early = useRef(false) // Enter came before the list did
  useEffect(() => {
    if (ready && early.current) form.current?.requestSubmit()
  }, [ready])
  return (
    <Dialog title={`Who should have ${issue.id}?`} close={close}>
      <form
        ref={form}
        onSubmit={(e) => {
          e.preventDefault()
          early.current = !ready
          if (ready) done(String(new FormData(e.currentTarget).get('to')))
        }}
      >
        <label className="block">
          <span className="soft mb-1 block">Person or team</span>
          <select name="to" className="select w-full" defaultValue={issue.owner ?? proposed ?? who.data?.name ?? ''} autoFocus key={ready ? 'ready' : 'loading'} onKeyDown={(e) => {
            if (e.key !== 'Enter') return // it would open the list
            e.preventDefault()
            e.currentTarget.form?.requestSubmit()
          }}>
            {[...people].map(([name, email]) => (
              <option key={name} value={name}>
                {name} ({email})
              </option>
            ))}
            {list.data?.teams.map((t) => (
              <option key={t.name} value={t.name}>
                {t.name} (team)
              </option>
            ))}
            <option value="">Nobody</option>
          </select>
        </label>
        <p className="soft mt-2">Assigning also accepts the issue.</p>
        <Buttons close={close} off={!ready} words="Assign" />
      </form>
    </Dialog>
  )
}
