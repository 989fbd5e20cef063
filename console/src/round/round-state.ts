import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import * as api from '../api/client.ts'
import type { Act, RoundEnd, RoundItem, Verb } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { again, answered, asked, confirmed, decided, empty, join, later, look, renewed, severer, stepped, upcoming } from '../core/round.ts'
import type { Round, Step } from '../core/round.ts'
import { decidedIn } from '../decide/decided.ts'
import { useSay } from '../shared/say.tsx'

/** A round: begun as the page opens, kept current while others decide, ended by hand. Decisions show at once; the service's answer follows. */
export function useRound(project: string | undefined) {
  const client = useQueryClient()
  const say = useSay()
  const [round, setRound] = useState<Round<RoundItem>>(empty)
  const [end, setEnd] = useState<RoundEnd>()
  const asOf = useRef('')
  const now = useRef(round)
  now.current = round
  const versions = useRef(new Map<string, number>()) // decisions come faster than lists are read again
  const begun = useQuery(ask.roundBegun(project))
  const fresh = useQuery({
    queryKey: ask.roundOf(project),
    queryFn: async ({ signal }) => {
      const since = now.current.answers
      const held = now.current.entries.map((e) => e.item.id).slice(0, 500).join(',')
      return { ...await api.round(project, { limit: 200, held }, signal), since }
    },
    enabled: begun.data !== undefined && end === undefined, staleTime: 2000,
  })
  const got = fresh.data ?? begun.data
  const since = fresh.data?.since ?? 0
  useEffect(() => {
    if (!got) return
    asOf.current = got.as_of
    setRound((r) => join(r, got.items, got.settled, since))
  }, [got, since])
  useEffect(() => { // the next ones are there before they are asked for
    const here = round.entries[round.at]?.item
    for (const i of [...(here ? [here] : []), ...upcoming(round, 2)]) void client.prefetchQuery(ask.brief(client, i.id))
  }, [client, round])
  const reread = (id: string) => void client.invalidateQueries({ queryKey: ask.allOf(ask.projectOf(id)) })
  const failed = (id: string, e: Error, undoing = false) => {
    say(`${id}: ${e.message}`, true)
    if (!undoing) setRound((r) => again(r, id))
    reread(id)
  }
  const mutate = useMutation({
    scope: { id: 'decide' },
    mutationFn: (d: { item: RoundItem; verb: Verb; body?: Act | undefined; of?: Step['kind'] }) =>
      api.act(d.item.id, d.verb, d.body, d.verb === 'undo' ? versions.current.get(d.item.id) : Math.max(d.item.version, versions.current.get(d.item.id) ?? 0)),
    onSuccess: (is, d) => {
      versions.current.set(d.item.id, is.version)
      setRound((r) => {
        const next = renewed(r, d.item.id, is)
        return d.verb === 'undo' || d.verb === 'severity' ? next : confirmed(next, d.item.id, is.standing)
      })
      if (d.verb === 'severity') say(`${is.id} is called ${is.severity}; its impact is ${Math.round(is.impact)}`)
      else if (d.verb === 'undo') say(d.of === 'severity' ? `${is.id} is called ${is.severity} again; its impact is ${Math.round(is.impact)}` : `${is.id}: ${is.standing}`)
      decidedIn(client, is)
    },
    onError: (e, d) => failed(d.item.id, e, d.verb === 'undo'),
    onMutate: (d) => setRound((r) => asked(r, d.item.id)),
    onSettled: (_, __, d) => setRound((r) => answered(r, d.item.id)),
  })
  const merging = useMutation({
    scope: { id: 'decide' },
    mutationFn: (d: { id: string; into: string }) => api.mergeIssues([d.id], d.into),
    onSuccess: (is, d) => {
      versions.current.delete(d.id) // the merge has made another one of it
      setRound((r) => confirmed(r, d.id, `merged into ${is.id}`))
      reread(d.id)
    },
    onError: (e, d) => failed(d.id, e),
    onMutate: (d) => setRound((r) => asked(r, d.id)),
    onSettled: (_, __, d) => setRound((r) => answered(r, d.id)),
  })
  const passing = useMutation({
    scope: { id: 'decide' }, mutationFn: (d: { id: string; back: boolean }) => api.passInRound([d.id], asOf.current, d.back),
    onError: (e) => say(e.message, true), onMutate: (d) => setRound((r) => asked(r, d.id)), onSettled: (_, __, d) => setRound((r) => answered(r, d.id)),
  })
  const unsaying = useMutation({
    scope: { id: 'decide' },
    mutationFn: (d: { id: string; comment: number }) => api.deleteComment(d.id, d.comment),
    onSuccess: (_, d) => {
      say(`your decision about ${d.id} is undone`)
      reread(d.id)
    },
    onError: (e) => say(e.message, true),
  })
  const ending = useMutation({ scope: { id: 'decide' }, mutationFn: () => api.endRound(project), onSuccess: setEnd, onError: (e) => say(e.message, true) })
  const here = () => now.current.entries[now.current.at]
  return {
    round, end, last: begun.data?.last_round ?? undefined, ready: begun.data !== undefined && (round.entries.length > 0 || begun.data.items.length === 0), error: begun.error,
    // A dialog is about the issue it was opened for, whatever is claimed by now.
    decide: (verb: Verb, body?: Act, item = here()?.item) => {
      if (!item) return
      setRound((r) => decided(r, item.id, '…'))
      mutate.mutate({ item, verb, body })
    },
    merge: (into: string, item = here()?.item) => {
      if (!item) return
      setRound((r) => decided(r, item.id, '…'))
      merging.mutate({ id: item.id, into })
    },
    grade: (by: 1 | -1) => {
      const item = here()?.item
      const severity = item && severer(item.severity, by)
      if (!item || !severity) return
      setRound((r) => stepped(renewed(r, item.id, { severity }), { id: item.id, kind: 'severity' }))
      mutate.mutate({ item, verb: 'severity', body: { severity } })
    },
    said: (id: string, comment: number) => setRound((r) => stepped(r, { id, kind: 'comment', comment })),
    undo: () => {
      const step = now.current.steps.at(-1)
      const item = now.current.entries.find((e) => e.item.id === step?.id)?.item
      if (!step || !item) return
      setRound((r) => again(r, step.id))
      if (step.kind === 'seen') passing.mutate({ id: step.id, back: true })
      else if (step.comment !== undefined) unsaying.mutate({ id: step.id, comment: step.comment })
      else if (step.kind !== 'later') mutate.mutate({ item, verb: 'undo', of: step.kind })
    },
    later: () => {
      const item = here()?.item
      if (!item) return
      const seen = item.state === 'accepted'
      setRound((r) => later(r, item.id, seen ? 'seen' : 'later'))
      if (seen) passing.mutate({ id: item.id, back: false })
    },
    look: (by: number) => setRound((r) => look(r, r.at + by)),
    lookAt: (at: number) => setRound((r) => look(r, at)),
    finish: () => ending.mutate(),
  }
}
