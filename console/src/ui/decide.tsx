import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import type { ReactNode } from 'react'
import { act, deleteIssue, me, mergeIssues, people, splitIssue } from '../api/client.ts'
import type { Act, Issue, ManyVerb, SplitBy, Verb } from '../api/client.ts'
import { severer } from '../core/round.ts'
import { useKeys } from './keys.ts'
import { ManyDialog, useMany } from './many.tsx'
import { MergeDialog } from './merge.tsx'
import type { MergeChoice } from './merge.tsx'
import { Buttons, Dialog } from './parts.tsx'
import { useSay } from './say.tsx'
import { DeleteDialog, FixDialog, ParkDialog } from './settle.tsx'
import { SplitDialog } from './split.tsx'

type Asking = 'assign' | 'fix' | 'park' | 'merge' | 'split' | 'delete' | undefined

/** The bar of decisions about one issue, those that are marked, or all of a filter, with a key for each; splitting is offered where its events are in sight. */
export function DecisionBar({ issue, label, more, marked = [], all, decided, merged, split, deleted }: {
  issue: Issue; label: string; more?: ReactNode; marked?: Issue[]; all?: { state: string; text: string; count: number } | undefined; decided?: () => void
  merged?: (into: string) => void; split?: (part: string) => void; deleted?: () => void
}) {
  const client = useQueryClient()
  const say = useSay()
  const [asking, setAsking] = useState<Asking>()
  const project = issue.id.split('/')[0] ?? ''
  // Decisions come faster than lists are read again: each builds on the answer
  // to the one before, and they leave one after the other.
  const versions = useRef(new Map<string, number>())
  const decide = useMutation({
    scope: { id: 'decide' },
    mutationFn: (d: { issue: Issue; verb: Verb; body?: Act }) =>
      act(d.issue.id, d.verb, d.body, d.verb === 'undo' ? undefined : Math.max(d.issue.version, versions.current.get(d.issue.id) ?? 0)),
    onSuccess: (now) => {
      versions.current.set(now.id, now.version)
      say(`${now.id}: ${now.standing}`)
      void client.invalidateQueries({ queryKey: ['p', project] })
    },
    onError: (e) => {
      say(e.message, true)
      void client.invalidateQueries({ queryKey: ['p', project] })
    },
  })
  const many = useMany(project, () => decided?.())
  const [sure, setSure] = useState<{ verb: ManyVerb; body: Act }>()
  const run = (verb: Verb, body?: Act) => {
    setAsking(undefined)
    if (verb === 'undo') {
      if (!many.undo()) decide.mutate({ issue, verb })
      return
    }
    if (all) setSure({ verb, body: body ?? {} })
    else if (marked.length > 1) many.run(verb, body ?? {}, { marked })
    else {
      many.forget()
      decide.mutate({ issue, verb, ...(body ? { body } : {}) })
    }
  }
  const of = all ? all.count : marked.length > 1 ? marked.length : 0
  const merge = useMutation({
    scope: { id: 'decide' },
    mutationFn: (c: MergeChoice) => mergeIssues(c.from, c.into),
    onSuccess: (now, c) => {
      say(`${c.from.join(', ')} merged into ${now.id}; Undo there takes it back`)
      merged?.(now.id)
      void client.invalidateQueries({ queryKey: ['p', project] })
    },
    onError: (e) => say(e.message, true),
  })
  const remove = useMutation({
    scope: { id: 'decide' },
    mutationFn: (events: number) => deleteIssue(issue.id, events),
    onSuccess: (gone) => {
      setAsking(undefined)
      say(`${gone.issue} is deleted, with ${gone.events} events`)
      void client.invalidateQueries({ queryKey: ['p', project] })
      deleted?.()
    },
    onError: (e) => say(e.message, true),
  })
  const part = useMutation({
    scope: { id: 'decide' },
    mutationFn: (by: SplitBy) => splitIssue(issue.id, by),
    onSuccess: (now) => {
      say(`${now.id} was split off; Undo takes it back`)
      split?.(now.id)
      void client.invalidateQueries({ queryKey: ['p', project] })
    },
    onError: (e) => say(e.message, true),
  })
  const open = ['new', 'accepted', 'regressed'].includes(issue.state)
  const doings: { key: string; words: string; on: boolean; run: () => void }[] = [
    { key: 'a', words: 'Accept', on: of > 0 || ['new', 'regressed', 'parked'].includes(issue.state), run: () => run('accept') },
    { key: 's', words: 'Assign', on: true, run: () => setAsking('assign') },
    { key: 'p', words: 'Park', on: of > 0 || open || issue.state === 'parked', run: () => setAsking('park') },
    { key: 'f', words: 'Fixed', on: true, run: () => setAsking('fix') },
    open ? { key: 'd', words: 'Dismiss', on: true, run: () => run('dismiss') } : { key: 'o', words: 'Reopen', on: true, run: () => run('reopen') },
    { key: 'm', words: marked.length > 1 ? `Merge ${marked.length}` : 'Merge', on: !all, run: () => setAsking('merge') },
    ...(split ? [{ key: 't', words: 'Split', on: true, run: () => setAsking('split') }] : []),
    { key: 'z', words: 'Undo', on: true, run: () => run('undo') },
  ]
  const grade = (by: 1 | -1) => {
    const to = severer(issue.severity, by)
    if (to && of === 0) run('severity', { severity: to })
  }
  useKeys({ ...Object.fromEntries(doings.map((d) => [d.key, d.on ? d.run : undefined])), '+': () => grade(1), '-': () => grade(-1) })
  return (
    <div role="toolbar" aria-label={`Decide about ${issue.id}`} className="sticky bottom-0 z-10 flex flex-wrap items-center gap-1.5 border-t border-base-300 bg-base-100 px-4 py-2">
      <span className="soft mr-2 hidden max-w-72 truncate sm:inline">{label}</span>
      {doings.map((d) => (
        <button key={d.words} className="btn btn-outline btn-sm font-normal" disabled={!d.on} onClick={d.run} aria-keyshortcuts={d.key}>
          {d.words} <kbd className="kbd kbd-xs" aria-hidden="true">{d.key}</kbd>
        </button>
      ))}
      <details className="dropdown dropdown-top">
        <summary className="btn btn-outline btn-sm font-normal">More …</summary>
        <div className="dropdown-content z-20 mb-1 flex w-64 flex-col rounded border border-base-300 bg-base-100 p-1">
          {([['Raise its severity', '+', 1], ['Lower its severity', '-', -1]] as const).map(([words, key, by]) => (
            <button key={key} className="btn btn-ghost btn-sm justify-between font-normal" disabled={of > 0 || !severer(issue.severity, by)} onClick={() => grade(by)} aria-keyshortcuts={key}>
              {words} <kbd className="kbd kbd-xs" aria-hidden="true">{key}</kbd>
            </button>
          ))}
          <button className="btn btn-ghost btn-sm justify-start font-normal" disabled={issue.count_only === true} onClick={() => run('count-only')} title="dismiss it, and keep no bodies of its events from now on">Count it only</button>
          <button className="btn btn-ghost btn-sm justify-start font-normal" disabled={of > 0} onClick={() => setAsking('delete')}>Delete …</button>
        </div>
      </details>
      <span className="grow" />
      {more}
      {sure && all && (
        <ManyDialog
          verb={sure.verb}
          count={all.count}
          close={() => setSure(undefined)}
          done={() => {
            setSure(undefined)
            many.run(sure.verb, sure.body, { all })
          }}
        />
      )}
      {asking === 'park' && <ParkDialog issue={issue} close={() => setAsking(undefined)} done={(body) => run('park', body)} />}
      {asking === 'delete' && <DeleteDialog issue={issue} close={() => setAsking(undefined)} done={(events) => remove.mutate(events)} />}
      {asking === 'assign' && <AssignDialog issue={issue} close={() => setAsking(undefined)} done={(to) => run('assign', { to })} />}
      {asking === 'merge' && (
        <MergeDialog
          chosen={marked.length > 0 ? marked : [issue]}
          close={() => setAsking(undefined)}
          done={(c) => {
            setAsking(undefined)
            merge.mutate(c)
          }}
        />
      )}
      {asking === 'split' && (
        <SplitDialog
          issue={issue}
          close={() => setAsking(undefined)}
          done={(by) => {
            setAsking(undefined)
            part.mutate(by)
          }}
        />
      )}
      {asking === 'fix' && <FixDialog issue={issue} close={() => setAsking(undefined)} done={(body) => run('fix', body)} />}
    </div>
  )
}

/** Asks who should have an issue: who has it, whom it is proposed to, or oneself comes first. */
export function AssignDialog({ issue, proposed, close, done }: { issue: Issue; proposed?: string | undefined; close: () => void; done: (to: string) => void }) {
  const list = useQuery({ queryKey: ['people'], queryFn: ({ signal }) => people(signal) })
  const who = useQuery({ queryKey: ['me'], queryFn: ({ signal }) => me(signal) })
  return (
    <Dialog title={`Who should have ${issue.id}?`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          if (list.data) done(String(new FormData(e.currentTarget).get('to')))
        }}
      >
        <label className="block">
          <span className="soft mb-1 block">Person or team</span>
          <select name="to" className="select w-full" defaultValue={issue.owner ?? proposed ?? who.data?.name ?? ''} autoFocus key={list.data ? 'ready' : 'loading'} onKeyDown={(e) => {
            if (e.key !== 'Enter') return // it would open the list
            e.preventDefault()
            e.currentTarget.form?.requestSubmit()
          }}>
            {list.data?.people.filter((p) => !p.left).map((p) => (
              <option key={p.email} value={p.name}>
                {p.name} ({p.email})
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
        <Buttons close={close} off={!list.data} words="Assign" />
      </form>
    </Dialog>
  )
}
