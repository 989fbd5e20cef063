import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { act } from '../api/client.ts'
import type { Difference, IssueDetail, SplitBy } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count, counted } from '../core/format.ts'
import { Buttons, Dialog } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import { issueAt } from '../core/address.ts'

const groups: [SplitBy['by'], string][] = [['frame', 'On the stack'], ['message', 'Message'], ['attribute', 'Attribute']]

/** Asks by which difference a part of an issue is split off. */
export function SplitDialog({ issue, close, done }: { issue: { id: string }; close: () => void; done: (by: SplitBy) => void }) {
  const found = useQuery(ask.differences(issue.id))
  const [chosen, setChosen] = useState<Difference>()
  const list = found.data?.differences ?? []
  return (
    <Dialog title={`Split a part of ${issue.id} off`} close={close} wide>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          if (chosen) done({ by: chosen.by, name: chosen.name ?? '', value: chosen.value })
        }}
      >
        {found.isPending && <p className="soft" role="status">Comparing its kept events …</p>}
        {found.error && <p className="text-error" role="alert">{found.error.message}</p>}
        {found.data && list.length === 0 && <p>The {count(found.data.looked)} examined events do not differ in anything that the issue could be split by.</p>}
        {found.data && list.length > 0 && (
          <>
            <p className="soft mb-2">What its events differ in, of {count(found.data.looked)} that were looked at. Those that have what you choose become an issue of their own.</p>
            <div className="max-h-80 overflow-y-auto rounded border border-base-300">
              {groups.map(([by, title]) => {
                const of = list.filter((d) => d.by === by)
                return of.length > 0 && (
                  <fieldset key={by} className="min-w-0 border-b border-base-300 px-2 py-1 last:border-0">
                    <legend className="sr-only">{title}</legend>
                    <p className="soft text-[.93rem]" aria-hidden="true">{title}</p>
                    {of.map((d) => (
                      <label key={`${d.name} ${d.value}`} className="flex cursor-pointer items-baseline gap-2 py-0.5 hover:bg-base-200">
                        <input type="radio" name="difference" className="radio radio-xs translate-y-0.5" checked={chosen === d} onChange={() => setChosen(d)} autoFocus={d === list[0]} />
                        <span className="mono min-w-0 grow break-all">{d.name ? `${d.name} = ${d.value}` : d.value}</span>
                        <span className="soft whitespace-nowrap" title={d.whole ? 'Fingerprints say so themselves: events without a body go along.' : 'Events without a body stay, since it is not known whether they have the difference.'}>
                          {count(d.events)}{d.whole ? ', all known' : ''}
                        </span>
                      </label>
                    ))}
                  </fieldset>
                )
              })}
            </div>
            <p className="soft mt-2">
              New events follow the split. Stored events {chosen?.whole ? 'with the difference all move' : 'move if their body is kept; the issue says how many stay'}. Undo takes it back.
            </p>
          </>
        )}
        <Buttons close={close} off={!chosen} words={chosen ? `Split ${counted(chosen.events, 'event')} off` : 'Split off'} />
      </form>
    </Dialog>
  )
}

/** The splits that an issue is a side of, each with its way back. */
export function Splits({ issue: i }: { issue: IssueDetail }) {
  const client = useQueryClient()
  const say = useSay()
  const takeBack = useMutation({
    mutationFn: (part: string) => act(part, 'undo'),
    onSuccess: (_, part) => {
      say(`${part} is no longer split off`)
      void client.invalidateQueries({ queryKey: ask.allOf(ask.projectOf(i.id)) })
    },
    onError: (e) => say(e.message, true),
  })
  const to = (id: string) => <Link className="link" to={issueAt(id)}>{id}</Link>
  return i.splits.map((s) => (
    <p key={s.to} className="mb-3 flex flex-wrap items-center gap-2">
      {s.to === i.id ? <span>Split off from {to(s.from)}: </span> : <span>Split off as {to(s.to)}: </span>}
      <span className="mono break-all">{s.words}</span>
      {s.looking && <span className="text-warning" role="status">{counted(s.looked, 'stored event')} compared so far</span>}
      {!s.looking && s.stays > 0 && <span className="soft">{counted(s.stays, 'event')} without a body {s.stays === 1 ? 'stays' : 'stay'} in {s.from}</span>}
      <button className="btn btn-outline btn-xs font-normal" onClick={() => takeBack.mutate(s.to)} aria-label={`Undo the split of ${s.to}`}>Undo</button>
    </p>
  ))
}
