import { lost } from '../core/current.ts'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import * as api from '../api/client.ts'
import type { HistoryEntry, IssueDetail } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { useKeys } from '../shared/keys.ts'
import { Written } from '../shared/markdown.tsx'
import { Ago, Failed } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** What happened to an issue and what was written about it, in one stream, and a place to write. */
export function History({ issue: i }: { issue: IssueDetail }) {
  const [project = '', number = 0] = [i.id.split('/')[0], Number(i.id.split('/')[1])]
  const h = useQuery(ask.history(project, number))
  if (lost(h)) return <Failed error={h.error!} />
  return (
    <>
      <h3 className="mb-1 font-semibold">History</h3>
      <Write issue={i} />
      <ol>
        {h.data?.history.map((e, n) => (
          <li key={e.comment ? `c${e.comment}` : n} className="flex gap-3 py-0.5">
            <span className="soft w-28 shrink-0"><Ago at={e.at} /></span>
            {e.kind === 'comment' ? <Comment id={i.id} entry={e} /> : (
              <span className={`min-w-0 ${e.undone ? 'soft line-through' : e.kind === 'regressed' ? 'hurts' : ''}`}>
                {e.actor && <b className="font-semibold">{e.actor}: </b>}
                {e.words}
                {e.why && <span className="soft"> — {e.why}</span>}
              </span>
            )}
          </li>
        ))}
      </ol>
    </>
  )
}

/** Changes something about an issue and reads it again. */
function useChange<T>(id: string, change: (v: T) => Promise<unknown>, done: () => void) {
  const client = useQueryClient()
  const say = useSay()
  return useMutation({
    mutationFn: change,
    onSuccess: () => {
      done()
      void client.invalidateQueries({ queryKey: ask.allOf(ask.projectOf(id)) })
    },
    onError: (e) => say(e.message, true),
  })
}

/** The field for a comment, and the switch for notices about an issue. */
function Write({ issue: i }: { issue: IssueDetail }) {
  const me = useQuery(ask.me())
  const [text, setText] = useState('')
  const field = useRef<HTMLTextAreaElement>(null)
  const send = useChange(i.id, (t: string) => api.writeComment(i.id, t), () => setText(''))
  const watches = i.watching.includes(me.data?.name ?? '')
  const watch = useChange(i.id, (on: boolean) => api.watchIssue(i.id, on), () => undefined)
  useKeys('issue', { comment: () => field.current?.focus(), watch: () => watch.mutate(!watches) })
  return (
    <form
      className="mb-3"
      onSubmit={(e) => {
        e.preventDefault()
        if (text.trim()) send.mutate(text)
      }}
    >
      <label className="block">
        <span className="sr-only">Comment</span>
        <textarea
          ref={field} className="textarea min-h-9 w-full" rows={text ? 4 : 1} value={text} maxLength={10_000} placeholder="Comment, in Markdown; @name mentions a person (c)"
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) e.currentTarget.form?.requestSubmit()
            if (e.key === 'Escape') e.currentTarget.blur()
          }}
        />
      </label>
      <span className="mt-1 flex flex-wrap items-center gap-2">
        <button className="btn btn-primary btn-sm" disabled={!text.trim() || send.isPending}>Comment <kbd className="kbd kbd-xs text-base-content" aria-hidden="true">Ctrl ↵</kbd></button>
        <button type="button" className="btn btn-outline btn-sm font-normal" aria-pressed={watches} onClick={() => watch.mutate(!watches)}>{watches ? 'Watching' : 'Watch'} <kbd className="kbd kbd-xs" aria-hidden="true">w</kbd></button>
        {i.watching.length > 0 && <span className="soft">Watched by {i.watching.join(', ')}</span>}
      </span>
    </form>
  )
}

/** A comment, which who wrote it can change. */
function Comment({ id, entry: e }: { id: string; entry: HistoryEntry }) {
  const [text, setText] = useState<string>()
  const [sure, setSure] = useState(false)
  const number = e.comment ?? 0
  const save = useChange(id, (t: string) => api.changeComment(id, number, t), () => setText(undefined))
  const remove = useChange(id, () => api.deleteComment(id, number), () => undefined)
  return (
    <div className="min-w-0 grow panel px-3 py-1.5">
      <p className="flex flex-wrap items-baseline gap-x-3">
        <b className="font-semibold">{e.actor}</b>
        {e.why && <span className="soft">{e.why}</span>}
        {e.edited && <span className="soft">changed <Ago at={e.edited} /></span>}
        <span className="grow" />
        {e.mine && text === undefined && (
          <>
            <button className="link soft text-[.9rem]" onClick={() => setText(e.words)}>Change</button>
            <button className="link soft text-[.9rem]" onClick={() => (sure ? remove.mutate(undefined) : setSure(true))} onBlur={() => setSure(false)}>{sure ? 'Take it away for good' : 'Take away'}</button>
          </>
        )}
      </p>
      {text === undefined ? <Written text={e.words} /> : (
        <form
          onSubmit={(ev) => {
            ev.preventDefault()
            if (text.trim()) save.mutate(text)
          }}
        >
          <textarea className="textarea w-full" rows={4} value={text} maxLength={10_000} aria-label="Comment" autoFocus onChange={(ev) => setText(ev.target.value)} />
          <span className="mt-1 flex justify-end gap-2">
            <button type="button" className="btn btn-ghost btn-sm" onClick={() => setText(undefined)}>Cancel</button>
            <button className="btn btn-primary btn-sm" disabled={!text.trim()}>Save</button>
          </span>
        </form>
      )}
    </div>
  )
}
