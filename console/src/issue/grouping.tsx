import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { type EventWhy, type GroupPart } from '../api/client.ts'
import * as query from '../api/queries.ts'

/** Why an event is grouped as it is, and where another one first differs. */
export function Grouping({ project, event, issue }: { project: string; event: string | undefined; issue: string }) {
  const [open, setOpen] = useState(false)
  const [other, setOther] = useState('')
  const [asked, setAsked] = useState('')
  const ref = event ?? issue
  const answer = useQuery({ ...query.why(project, ref, asked), enabled: open })
  const ask = (e: FormEvent) => {
    e.preventDefault()
    setAsked(other.trim())
  }
  return (
    <details className="mt-4" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="font-semibold">Why these events are together</summary>
      {answer.isPending && open && <p className="soft mt-1" role="status">Looking at the newest event …</p>}
      {answer.error && <p className="mt-1 text-error" role="alert">{answer.error.message}</p>}
      {answer.data && (
        <>
          <One title="This event" w={answer.data} />
          {answer.data.other && (
            <div aria-live="polite">
              <One title={answer.data.other.issue} w={answer.data.other} />
              <p className="mt-3 font-semibold">
                {answer.data.together && 'Both have one fingerprint.'}
                {answer.data.differ && `They first differ in the ${answer.data.differ.what}:`}
              </p>
              {answer.data.differ && (
                <p className="mono">
                  {answer.data.differ.this || '(nothing)'} <span className="soft">here,</span> {answer.data.differ.other || '(nothing)'} <span className="soft">there</span>
                </p>
              )}
            </div>
          )}
          <form onSubmit={ask} className="mt-3 flex items-end gap-2">
            <label className="flex flex-col">
              <span className="soft text-[.93rem]">Compare with an issue or an event</span>
              <input className="input input-sm w-72" value={other} onChange={(e) => setOther(e.target.value)} placeholder={`${project}/12, or an id`} />
            </label>
            <button className="btn btn-outline btn-sm" type="submit" disabled={other.trim() === ''}>Compare</button>
          </form>
        </>
      )}
    </details>
  )
}

function One({ title, w }: { title: string; w: EventWhy }) {
  return (
    <div className="mt-2">
      <p><b>{title}</b>, <span className="mono">{w.headline}</span>: {w.filed}; {w.application}.</p>
      <Parts list={w.parts} />
      {w.left_out.length > 0 && (
        <>
          <p className="soft mt-2">Left out:</p>
          <Parts list={w.left_out} />
        </>
      )}
    </div>
  )
}

function Parts({ list }: { list: GroupPart[] }) {
  return (
    <dl className="mt-1 grid grid-cols-[8rem_minmax(8rem,max-content)_1fr] gap-x-4">
      {list.map((p, n) => (
        <div key={n} className="contents">
          <dt className="soft">{p.what}</dt>
          <dd className="mono break-all">{p.value || '(none)'}</dd>
          <dd className="soft">{p.why}{p.from && <>: <span className="mono">{p.from}</span></>}</dd>
        </div>
      ))}
    </dl>
  )
}
