import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import * as api from '../api/client.ts'
import type { Act, Issue, ManyVerb } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { counted } from '../core/format.ts'
import { searchFields } from '../core/list.ts'
import { askWords, manyWords } from '../core/many.ts'
import { stepWords } from '../core/undo.ts'
import { Dialog } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import { remember } from './undo.ts'

/** Issues that one decision is about: those that are marked, or all that a filter lists. */
export type Target = { marked: Issue[] } | { all: { state: string; search: string; window: string; count: number } }

/** Decides about many issues. */
export function useMany(project: string, decided: (ids: string[]) => void) {
  const client = useQueryClient()
  const say = useSay()
  const again = () => void client.invalidateQueries({ queryKey: ask.allOf(project) })
  const act = useMutation({
    scope: { id: 'decide' },
    mutationFn: (d: { verb: ManyVerb; body: Act; target: Target }) =>
      api.actMany(project, 'marked' in d.target
        ? { ...d.body, verb: d.verb, issues: d.target.marked.map((i) => ({ number: Number(i.id.split('/')[1]), version: i.version })) }
        : { ...d.body, verb: d.verb, state: [d.target.all.state], ...searchFields(d.target.all), expect: d.target.all.count }),
    onSuccess: (now, d) => {
      if (now.bulk) remember({ kind: 'many', project, bulk: now.bulk, words: stepWords(d.verb, counted(now.done.length, 'issue')) })
      say(manyWords(d.verb, now.done.length, now.refused), now.done.length === 0)
      decided(now.done)
      again()
    },
    onError: (e: Error) => {
      say(e.message, true)
      again()
    },
  })
  return (verb: ManyVerb, body: Act, target: Target) => act.mutate({ verb, body, target })
}

/** Asks before a decision about all that fit. */
export function ManyDialog({ verb, count, close, done }: { verb: ManyVerb; count: number; close: () => void; done: () => void }) {
  const yes = useRef<HTMLButtonElement>(null)
  useEffect(() => yes.current?.focus(), []) // once the dialog has taken the focus
  return (
    <Dialog title={`${askWords(verb, count)}?`} close={close}>
      <p className="soft">All issues that match the filter, also those that are not on the screen. Issues that others change meanwhile stay as they are. Undo takes the rest back.</p>
      <div className="mt-4 flex justify-end gap-2">
        <button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>
        <button ref={yes} type="button" className="btn btn-primary btn-sm" onClick={done}>{askWords(verb, count)}</button>
      </div>
    </Dialog>
  )
}
