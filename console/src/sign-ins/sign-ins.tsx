import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { browserOf } from '../core/browsers.ts'
import { lost } from '../core/current.ts'
import { counted, minute } from '../core/format.ts'
import { Card, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** The browsers that one is signed in with, and ending those that one does not know. */
export function SignInsPage() {
  const got = useQuery(ask.signIns())
  const client = useQueryClient()
  const say = useSay()
  const ended = (words: string) => {
    say(words)
    void client.invalidateQueries({ queryKey: ask.signIns().queryKey })
  }
  const end = useMutation({ mutationFn: (id: number) => api.endSignIn(id), onSuccess: () => ended('Signed out there'), onError: (e) => say(e.message, true) })
  const others = useMutation({ mutationFn: () => api.endOtherSignIns(), onSuccess: (n) => ended(`${counted(n.sessions, 'session')} ended`), onError: (e) => say(e.message, true) })
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.sessions
  return (
    <Page
      title="Where you are signed in"
      about="A session ends 12 hours after its last use, and 30 days after it was opened."
      actions={
        <>
          <button className="btn btn-outline btn-sm font-normal" disabled={list.length < 2 || others.isPending} onClick={() => others.mutate()}>Sign out everywhere else</button>
          <Copy text="firethorn person sessions">Copy as command</Copy>
        </>
      }
    >
      <Card label="Sessions" flush>
        <Table label="Sessions" columns={['Browser', 'Last used', 'From', 'Signed in', 'Ends', { name: 'Actions', hidden: true }]}>
          {list.map((s) => (
            <tr key={s.id}>
              <td className="name"><span className="font-semibold" title={s.agent}>{browserOf(s.agent ?? '')}</span>{s.this && <span className="soft"> this one</span>}</td>
              <td className="whitespace-nowrap"><Ago at={s.last_used} /></td>
              <td className="mono">{s.address}</td>
              <td className="whitespace-nowrap"><Ago at={s.opened} /></td>
              <td className="whitespace-nowrap">{minute(s.runs_out)}</td>
              <td className="text-right">{!s.this && <button className="btn btn-outline btn-xs font-normal" disabled={end.isPending} onClick={() => end.mutate(s.id)} aria-label={`Sign out of ${browserOf(s.agent ?? '')}, used from ${s.address ?? 'an unknown address'}`}>Sign out</button>}</td>
            </tr>
          ))}
        </Table>
      </Card>
    </Page>
  )
}
