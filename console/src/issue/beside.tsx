import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as ask from '../api/queries.ts'
import { count, counted } from '../core/format.ts'
import { gap } from '../core/trial.ts'
import { Failed, State } from '../shared/parts.tsx'
import { issueAt } from '../core/address.ts'


/** What stands beside an issue: issues like it, those that happen together with it, its fingerprint elsewhere. */
export function Beside({ id }: { id: string }) {
  const got = useQuery(ask.beside(id))
  const near = useQuery(ask.together(id))
  const error = got.error ?? near.error
  if (error && !(got.data && near.data)) return <Failed error={error} again={() => void Promise.all([got.refetch(), near.refetch()])} />
  const v = got.data
  return (
    <div className="mt-4 grid gap-x-8 gap-y-3 lg:grid-cols-2">
      <section aria-labelledby="similar">
        <h3 id="similar" className="mb-1 font-semibold">Similar issues</h3>
        {v?.similar.length === 0 && <p className="soft">Nothing like it.</p>}
        <ul>
          {v?.similar.slice(0, 6).map((s) => (
            <li key={s.id} className="grid grid-cols-[3rem_minmax(0,1fr)] gap-x-2 py-0.5">
              <span className="text-right" title="how alike both are">{Math.round(100 * s.score)} %</span>
              <span className="min-w-0">
                <Link className="link-hover font-semibold" to={issueAt(s.id)}>{s.headline}</Link> <State state={s.state} fixedIn={s.fixed_in} /> <span className="soft">{s.id}{s.owner && `, ${s.owner}`}</span>
                <span className="soft block text-[.93rem] break-words">{s.alike.join('; ')}</span>
              </span>
            </li>
          ))}
        </ul>
      </section>
      <section aria-labelledby="together">
        <h3 id="together" className="mb-1 font-semibold">Happens together with</h3>
        {near.data?.near.length === 0 && <p className="soft">Nothing more often than by chance, to the same user, in the same session or trace, within a minute.</p>}
        <ul>
          {near.data?.near.slice(0, 6).map((n) => (
            <li key={n.id} className="py-0.5">
              <Link className="link-hover font-semibold" to={issueAt(n.id)}>{n.headline}</Link> <span className="soft">{n.id}</span>
              <span className="soft block text-[.93rem]">{count(n.with)} of {counted(n.of, 'time')}, in the same {n.by}, mostly {gap(n.gap)}; {n.by_chance.toFixed(1)} by chance</span>
            </li>
          ))}
        </ul>
        {v && v.elsewhere.length > 0 && (
          <>
            <h3 className="mt-3 mb-1 font-semibold">The same fingerprint in other projects</h3>
            <ul>
              {v.elsewhere.map((x) => (
                <li key={x.id}><Link className="link-hover" to={issueAt(x.id)}>{x.id}</Link> <span className="soft">{x.headline}, {counted(x.events, 'event')}, {counted(x.users, 'user')}</span></li>
              ))}
            </ul>
          </>
        )}
      </section>
    </div>
  )
}
