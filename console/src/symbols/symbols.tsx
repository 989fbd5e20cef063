import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import type { CheckedFile, SymbolCheck } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count, counted } from '../core/format.ts'
import { noticed, size } from '../core/symbols.ts'
import { Ago, Copy, Empty, Failed, Loading } from '../shared/parts.tsx'
import { args, option } from '../core/shell.ts'
import { pageAt } from '../core/address.ts'
import { useAddress } from '../shared/address.ts'
import { useNow } from '../shared/now.ts'
import { Card, Page, Table } from '../shared/page.tsx'

/** Which traces can be read, which cannot, why, and what the symbols take. */
export function SymbolsPage() {
  const { project, state, params, set } = useAddress('symbols')
  const event = state.event || undefined
  const now = useNow()
  const pushed = useQuery(ask.symbols(project))
  const unread = useQuery(ask.unread(project))
  if ((pushed.error && !pushed.data) || (unread.error && !unread.data)) return <Failed error={(pushed.error ?? unread.error)!} again={() => void Promise.all([pushed.refetch(), unread.refetch()])} />
  if (!pushed.data || !unread.data) return <Loading />
  const rows = new Map<string, { release: string; pushed: api.SymbolRelease | undefined; unread: api.UnreadRelease | undefined }>()
  for (const u of unread.data.releases) rows.set(u.release, { release: u.release, pushed: undefined, unread: u })
  for (const r of pushed.data.releases) rows.set(r.release, { release: r.release, pushed: r, unread: rows.get(r.release)?.unread })
  const list = [...rows.values()]
  const chosen = params.get('release') ?? (event ? '' : (noticed(unread.data.releases, now)[0]?.release ?? list[0]?.release))
  return (
    <Page title="Symbols" about="What makes traces of built code readable, by release, and what is missing." actions={<Copy text={`firethorn symbols list ${option('--project', project)}`}>Copy as command</Copy>}>
      {list.length === 0 && !event ? (
        <Empty title="No symbols yet">
          <p>Minified code has unreadable stack traces. Push the source maps of a build to make them readable:</p>
          <pre className="shell my-3" tabIndex={0} aria-label="How symbols are pushed">firethorn symbols push --project {project} --release RELEASE DIR</pre>
          <p>
            <Link className="link" to={pageAt(project, 'set-up')}>Set the application up</Link> shows it for your build. Servers that run their source code need none.
          </p>
        </Empty>
      ) : (
        <>
          {list.length > 0 && (
            <Card label="Releases" flush>
              <Table label="Releases and their symbols" columns={['Release', { name: 'Unreadable events', right: true }, { name: 'in issues', right: true }, { name: 'Files pushed', right: true }, { name: 'Size', right: true }, 'Pushed', 'Kept until']}>
                {list.map((r) => (
                  <tr key={r.release} aria-current={r.release === chosen && !event ? 'true' : undefined}>
                    <td className="name"><button className="link mono" onClick={() => set({ release: r.release, event: '' })}>{r.release || '(no release)'}</button></td>
                    <td className={`text-right ${r.unread ? 'hurts font-semibold' : ''}`}>{r.unread ? `${count(r.unread.events)} of ${count(r.unread.of)}` : 0}</td>
                    <td className="text-right">{r.unread ? count(r.unread.issues) : ''}</td>
                    <td className="text-right">{r.pushed ? count(r.pushed.files) : 0}{r.pushed && r.pushed.waiting > 0 && <span className="soft"> ({count(r.pushed.waiting)} being prepared)</span>}</td>
                    <td className="text-right" title={r.pushed ? `${size(r.pushed.alone)} of it in no other release` : undefined}>{r.pushed ? size(r.pushed.bytes) : ''}</td>
                    <td>{r.pushed && <Ago at={r.pushed.pushed} />}</td>
                    <td className="soft">{r.pushed && `${r.pushed.until.slice(0, 10)}, if not used`}</td>
                  </tr>
                ))}
              </Table>
            </Card>
          )}
          {(chosen !== undefined || event) && <Check project={project} release={event ? undefined : chosen} event={event} />}
        </>
      )}
    </Page>
  )
}

function Check({ project, release, event }: { project: string; release: string | undefined; event: string | undefined }) {
  const got = useQuery(ask.symbolCheck(project, release, event))
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const v: SymbolCheck = got.data
  return (
    <section aria-labelledby="check-title" className="mt-6">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 id="check-title" className="text-lg font-semibold">{event ? 'The trace of one event' : release === '' ? 'Traces that name no release' : <>Release <span className="mono">{v.release}</span></>}</h2>
        <p className="grow">{v.words}</p>
        <Copy text={`firethorn symbols check ${option('--project', project)} ${event ? args(event) : option('--release', v.release)}`}>Copy as command</Copy>
      </div>
      {v.again > 0 && <p role="status" className="mt-1 text-warning">New symbols: {counted(v.again, 'kind')} of trace being read again.</p>}
      <ul className="panel mt-2">
        {v.files.map((f) => <File key={f.file + (f.debug_id ?? '')} f={f} />)}
      </ul>
    </section>
  )
}

function File({ f }: { f: CheckedFile }) {
  return (
    <li className="border-b border-base-300 px-3 py-2 last:border-0">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <span className="mono break-all font-semibold">{f.file}</span>
        <span className={f.readable ? 'soft' : 'hurts'}>{f.readable ? 'readable' : 'unreadable'}</span>
        <span className="soft grow text-right whitespace-nowrap">
          {f.events > 0 && `named by ${counted(f.events, 'event')}`}
          {f.unread > 0 && <>, <span className="hurts">{count(f.unread)} unread in {counted(f.issues, 'issue')}</span></>}
        </span>
      </div>
      {f.why && <p className="mt-1">{sentence(f.why)}.</p>}
      {f.note && <p className="mt-1 break-words">{sentence(f.note)}.</p>}
      <dl className="mt-1 grid grid-cols-[6rem_minmax(0,1fr)] gap-x-3">
        {f.looked_for.map((l, i) => <Line key={l} name={i === 0 ? 'searched' : 'then'}>{l}</Line>)}
        {f.found && <Line name="found"><span className="mono">{f.found.address}</span>, by its {f.found.by}{f.found.state !== 'ready' && ` (${f.found.state})`}</Line>}
        {f.nearest && <Line name="nearest"><span className="mono break-all">{f.nearest}</span></Line>}
        {f.run && <Line name="run"><code className="break-all">{f.run}</code></Line>}
      </dl>
    </li>
  )
}

const sentence = (s: string) => s.charAt(0).toUpperCase() + s.slice(1)

function Line({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <>
      <dt className="soft">{name}</dt>
      <dd className="min-w-0 wrap-anywhere">{children}</dd>
    </>
  )
}
