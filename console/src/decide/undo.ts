import { useQueryClient } from '@tanstack/react-query'
import { useSyncExternalStore } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { undoneWords } from '../core/many.ts'
import { did, undone } from '../core/undo.ts'
import type { Step } from '../core/undo.ts'
import { decidedIn } from './decided.ts'
import { useSay } from '../shared/say.tsx'

// One for the tab, whatever page is open: what I did last is what Undo undoes.
let steps: Step[] = []
const listeners = new Set<() => void>()
const set = (next: Step[]) => {
  steps = next
  for (const l of listeners) l()
}
const subscribe = (l: () => void) => {
  listeners.add(l)
  return () => void listeners.delete(l)
}

/** Keeps what I did, for Undo. */
export const remember = (step: Step): void => set(did(steps, step))

/** Takes one step back; says what became of it. */
async function takeBack(step: Step): Promise<{ words: string; now?: api.Issue; projects: string[] }> {
  if (step.kind === 'many') {
    const now = await api.undoMany(step.project, step.bulk)
    return { words: undoneWords(now.done.length, now.refused), projects: [step.project] }
  }
  if (step.kind === 'merged') {
    for (const id of step.ids) {
      const [project = '', number] = id.split('/')
      // Where somebody has taken it apart already, Undo would take back what was decided since.
      if ((await api.issue(project, Number(number))).id === id) throw new Error(`${id} is an issue of its own again`)
      await api.act(id, 'undo')
    }
    return { words: `Taken back: ${step.words}`, projects: step.ids.map((id) => id.split('/')[0]!) }
  }
  const now = await api.act(step.id, 'undo', {}, step.now)
  return { words: `${now.id}: ${now.standing}`, now, projects: [] }
}

/** What Undo would take back, in words; and Undo itself. */
export function useUndo(): { words: string | undefined; undo: () => void } {
  const list = useSyncExternalStore(subscribe, () => steps)
  const client = useQueryClient()
  const say = useSay()
  const undo = () => {
    const step = steps.at(-1)
    if (!step) return say('Nothing to undo: you made no decision in this tab.')
    set(steps.slice(0, -1)) // a second key undoes the one before
    takeBack(step).then(
      (got) => {
        set(undone([...steps, step], got.now?.version))
        if (got.now) decidedIn(client, got.now)
        say(got.words)
        for (const p of got.projects) void client.invalidateQueries({ queryKey: ask.allOf(p) })
      },
      (e: Error) => {
        say(`Not undone (${step.words}): ${e.message}`, true)
        if (step.kind === 'one') void client.invalidateQueries({ queryKey: ask.allOf(ask.projectOf(step.id)) })
      },
    )
  }
  return { words: list.at(-1)?.words, undo }
}
