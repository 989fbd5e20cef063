import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import * as ask from '../api/queries.ts'
import { day } from '../core/format.ts'
import { args } from '../core/shell.ts'
import { Ago, Copy, Failed } from './parts.tsx'

/** A commit by its short name, with the way to it where there is one. */
export function CommitName({ hash, link }: { hash: string; link?: string | undefined }) {
  const short = <span className="mono">{hash.slice(0, 10)}</span>
  return link ? <a className="link" href={link} rel="noopener nofollow" target="_blank">{short}</a> : short
}

/** The commits that may have brought an issue, and who changed the line last. */
export function Likely({ id }: { id: string }) {
  const got = useQuery(ask.likely(id))
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <p className="soft">Looking for likely changes …</p>
  const l = got.data
  return (
    <>
      <div className="mt-4 flex flex-wrap items-baseline gap-x-4">
        <h3 className="font-semibold">Likely changes</h3>
        <p className="soft grow">{l.words}</p>
        <Copy text={`firethorn issue likely ${args(id)}`}>Copy as command</Copy>
      </div>
      {l.onset && <p className="mt-1">{l.onset.words}{l.onset.deploys.length > 0 && <>: {l.onset.deploys.map((d) => `${d.words} on ${day(d.at)}`).join('; ')}</>}.</p>}
      {l.changes.length > 0 && (
        <ol className="mt-1 panel">
          {l.changes.map((c) => (
            <li key={c.hash} className="grid grid-cols-[3rem_minmax(0,1fr)] gap-x-3 border-b border-base-300/60 px-3 py-1.5 last:border-0">
              <b className="text-[1.15rem] font-semibold" title="score, of 100">{Math.round(c.score)}</b>
              <span className="min-w-0">
                <span className="font-semibold break-words">{c.subject}</span> <CommitName hash={c.hash} link={c.link} />
                <span className="soft block">{c.author}, <Ago at={c.committed} />: {c.reasons.join('; ')}</span>
              </span>
            </li>
          ))}
        </ol>
      )}
      {l.line && (
        <p className="mt-2">
          <span className="mono">{l.line.path}:{l.places[0]?.line}</span> was changed last by {l.line.author} <Ago at={l.line.authored} />: {l.line.subject} <CommitName hash={l.line.commit} link={l.line.link} />
        </p>
      )}
      {l.places.length > 0 && (
        <details className="mt-1">
          <summary className="soft cursor-pointer">Paths of the frames in the repository</summary>
          <ul className="mt-1">
            {l.places.map((p) => (
              <li key={p.source + p.line} className="break-words"><span className="mono">{p.source}:{p.line}</span> {p.path ? <>is <span className="mono">{p.path}</span></> : 'is not found'} <span className="soft">({p.how})</span></li>
            ))}
          </ul>
        </details>
      )}
    </>
  )
}
