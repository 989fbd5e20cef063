import { lost } from '../core/current.ts'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { standing, works } from '../core/trial.ts'
import { Ago, Dialog, Failed } from '../shared/parts.tsx'
import { useRole } from '../shared/rights.ts'
import { useSay } from '../shared/say.tsx'

/** How stored events are grouped: a regrouping under way, the last one, and ways to begin and to take back. */
export function Regroup({ project, all = false }: { project: string; all?: boolean }) {
  const client = useQueryClient()
  const say = useSay()
  const may = useRole(project, 'maintainer')
  const [asking, setAsking] = useState<'begin' | 'undo'>()
  const got = useQuery({
    ...ask.regroupings(project),
    refetchInterval: (q) => (q.state.data?.regroupings.some((g) => works(g.state)) || q.state.data?.wanted ? 700 : false),
  })
  const act = useMutation({
    mutationFn: (verb: 'begin' | 'stop' | 'undo') => api.regroup(project, verb),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ask.allOf(project) })
      void client.invalidateQueries({ queryKey: ask.rulesOf(project) })
    },
    onError: (e) => say(e.message, true),
  })
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return null
  const list = got.data.regroupings
  const now = list[0]
  const busy = now !== undefined && works(now.state)
  const decide = (verb: 'begin' | 'undo') => {
    setAsking(undefined)
    act.mutate(verb)
  }
  return (
    <section className="panel p-3" aria-label="Stored events">
      <div className="flex flex-wrap items-center gap-2">
        <h2 className="grow font-semibold">Stored events</h2>
        {may && !busy && now?.state === 'done' && <button type="button" className="btn btn-outline btn-sm" onClick={() => setAsking('undo')}>Take the last regrouping back</button>}
        {may && !busy && <button type="button" className="btn btn-outline btn-sm" onClick={() => setAsking('begin')}>Regroup</button>}
        {may && busy && now.state === 'reading' && <button type="button" className="btn btn-outline btn-sm" onClick={() => act.mutate('stop')}>Stop</button>}
      </div>
      <div role="status">
        {got.data.wanted ? <p className="text-warning">Version {got.data.wanted} of the algorithm is being adopted.</p> : null}
        {busy && (
          <p className="mt-1 flex items-center gap-3">
            <progress className="progress progress-primary w-40" value={now.state === 'reading' ? now.read : undefined} max={Math.max(1, now.of)} aria-label="Regrouping" />
            {now.by} regroups: {standing(now)}
          </p>
        )}
      </div>
      {!now && <p className="soft mt-1">A saved rule applies to new events. Regroup to apply it to stored events as well; you can undo that.</p>}
      <ul className="mt-1">
        {list.slice(busy ? 1 : 0, all ? 10 : busy ? 2 : 1).map((g) => (
          <li key={g.id} className="grid grid-cols-[6rem_minmax(0,1fr)] gap-x-2">
            <span className="soft"><Ago at={g.at} /></span>
            <span>{g.by}: {standing(g)} <span className="soft">rules {g.rules_version}, algorithm {g.grouping_version}</span></span>
          </li>
        ))}
      </ul>
      {asking === 'begin' && (
        <Dialog title={`Regroup the stored events of ${project}?`} close={() => setAsking(undefined)}>
          <p>Every stored event is regrouped by version {got.data.rules_version} of the rules and version {got.data.grouping_version} of the algorithm, in the background. Try the rules first, to see what would move.</p>
          <p className="soft mt-2">Merges and splits by people stay, unless a rule matches the events. The regrouping can be undone as a whole.</p>
          <div className="mt-4 flex justify-end gap-2">
            <button className="btn btn-ghost btn-sm" onClick={() => setAsking(undefined)}>Cancel</button>
            <button className="btn btn-primary btn-sm" autoFocus onClick={() => decide('begin')}>Regroup</button>
          </div>
        </Dialog>
      )}
      {asking === 'undo' && now && (
        <Dialog title="Take the last regrouping back?" close={() => setAsking(undefined)}>
          <p>Events go back to their former issues, and events that arrived since go where they would have gone. The former grouping rules and algorithm apply again.</p>
          <div className="mt-4 flex justify-end gap-2">
            <button className="btn btn-ghost btn-sm" onClick={() => setAsking(undefined)}>Cancel</button>
            <button className="btn btn-primary btn-sm" autoFocus onClick={() => decide('undo')}>Take back</button>
          </div>
        </Dialog>
      )}
    </section>
  )
}
