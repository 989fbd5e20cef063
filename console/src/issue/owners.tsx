import { lost } from '../core/current.ts'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import * as api from '../api/client.ts'
import type { Issue } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { Failed } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

const shown = 3

/** Who may have an issue, and why, each with the way to give it to them. */
export function Owners({ issue: i }: { issue: Issue }) {
  const project = i.id.split('/')[0] ?? ''
  const client = useQueryClient()
  const say = useSay()
  const got = useQuery(ask.owners(i.id))
  const assign = useMutation({
    mutationFn: (to: string) => api.act(i.id, 'assign', { to }, i.version),
    onSuccess: (now) => {
      say(`${now.id}: ${now.standing}`)
      void client.invalidateQueries({ queryKey: ask.allOf(project) })
    },
    onError: (e) => say(e.message, true),
  })
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data || (got.data.proposals.length === 0 && got.data.strangers.length === 0)) return null
  const o = got.data
  return (
    <section aria-label="Who may have it" className="mb-4">
      <h3 className="mb-1 font-semibold">{i.owner ? `${i.owner} has it` : 'Who may have it'}</h3>
      <ul>
        {o.proposals.slice(0, shown).map((p) => (
          <li key={p.name} className="flex flex-wrap items-baseline gap-x-3 py-0.5">
            <b className="w-8 text-right font-semibold" title="score, of 100">{Math.round(p.score)}</b>
            <span className="font-semibold">{p.name}</span>
            <span className="soft min-w-0 grow basis-60 break-words">{(p.reasons ?? []).join('; ')}</span>
            {p.name !== i.owner && <button className="btn btn-outline btn-xs font-normal" onClick={() => assign.mutate(p.name)} aria-label={`Assign to ${p.name}`}>Assign</button>}
          </li>
        ))}
      </ul>
      {o.strangers.length > 0 && <p className="soft">Named there, but no account here: {o.strangers.join(', ')}.</p>}
      {o.bad_lines.length > 0 && <p className="text-warning">CODEOWNERS, line {o.bad_lines.map((b) => b.line).join(', ')}: not used. firethorn issue owners {i.id} says why.</p>}
    </section>
  )
}
