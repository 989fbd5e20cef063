import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { lost } from '../core/current.ts'
import { counted, date } from '../core/format.ts'
import { mayWords } from '../core/tokens.ts'
import { Card, Field, Form, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Dialog, Failed, Loading } from '../shared/parts.tsx'
import { useOperator } from '../shared/rights.ts'
import { useSay } from '../shared/say.tsx'
import { MadeToken, NewToken } from './new-token.tsx'

/** What programs authorise with: one's own, those of projects that one maintains, and for operators all. */
export function TokensPage() {
  const got = useQuery(ask.tokens())
  const operator = useOperator()
  const [asking, setAsking] = useState<{ what: 'rotate' | 'revoke'; of: api.TokenInfo } | 'new'>()
  const close = () => setAsking(undefined)
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.tokens
  return (
    <Page
      title="Tokens"
      about={operator ? 'What programs authorise with: all there are.' : 'Tokens for programs: your own, and those of projects that you maintain.'}
      actions={
        <>
          <button className="btn btn-primary btn-sm" onClick={() => setAsking('new')}>New token</button>
          <Copy text="firethorn token list">Copy as command</Copy>
        </>
      }
    >
      <Card label="Tokens" flush>
        {list.length === 0 ? <p className="soft px-3 py-2">No token yet. The command line and builds need one; make it here, it is shown once.</p> : (
          <Table label="Tokens" columns={[{ name: 'No.', right: true }, 'Label', 'Kind', 'Good for', 'May', 'Whose', 'Last used', 'Runs out', { name: 'Actions', hidden: true }]}>
            {list.map((t) => <Row key={t.id} t={t} ask={(what) => setAsking({ what, of: t })} />)}
          </Table>
        )}
      </Card>
      {asking === 'new' && <NewToken close={close} />}
      {asking !== undefined && asking !== 'new' && asking.what === 'rotate' && <Rotate t={asking.of} close={close} />}
      {asking !== undefined && asking !== 'new' && asking.what === 'revoke' && <Revoke t={asking.of} close={close} />}
    </Page>
  )
}

function Row({ t, ask: open }: { t: api.TokenInfo; ask: (what: 'rotate' | 'revoke') => void }) {
  const projects = t.projects ?? []
  return (
    <tr>
      <td className="soft text-right">{t.id}</td>
      <td className="name min-w-40">
        <span className="font-semibold">{t.label}</span>
        {t.warning && <span className="block text-warning">{t.warning}</span>}
      </td>
      <td>{t.scope === 'admin' ? 'admin' : t.kind}</td>
      <td className="name">{projects.length === 0 ? 'all projects' : projects.length > 3 ? <span title={projects.join(', ')}>{counted(projects.length, 'project')}</span> : projects.join(', ')}</td>
      <td className="name" title={t.permissions.join(', ')}>{mayWords(t.kind, t.permissions)}</td>
      <td className="name">{t.person || <span className="soft" title={t.maker && `made by ${t.maker}`}>nobody&apos;s</span>}</td>
      <td className="whitespace-nowrap">{t.last_used ? <><Ago at={t.last_used} />{t.last_address && <span className="mono soft block">{t.last_address}</span>}</> : <span className="soft">not yet</span>}</td>
      <td className="whitespace-nowrap">{t.expires ? date(t.expires) : 'never'}</td>
      <td className="text-right whitespace-nowrap">
        <span className="inline-flex gap-1">
          <button className="btn btn-outline btn-xs font-normal" onClick={() => open('rotate')} aria-label={`Rotate token ${t.id}`}>Rotate</button>
          <button className="btn btn-outline btn-xs font-normal" onClick={() => open('revoke')} aria-label={`Revoke token ${t.id}`}>Revoke</button>
        </span>
      </td>
    </tr>
  )
}

const overlaps = [[0, 'at once'], [1, 'in an hour'], [24, 'in a day'], [168, 'in a week']] as const

function Rotate({ t, close }: { t: api.TokenInfo; close: () => void }) {
  const client = useQueryClient()
  const [hours, setHours] = useState(24)
  const rotate = useMutation({ mutationFn: () => api.rotateToken(t.id, hours), onSuccess: () => void client.invalidateQueries({ queryKey: ask.tokens().queryKey }) })
  if (rotate.data) return <MadeToken token={rotate.data} close={close} />
  return (
    <Dialog title={`Rotate token ${t.id}, ${t.label}`} close={close}>
      <Form button="Rotate it" submit={() => rotate.mutate()} busy={rotate.isPending} error={rotate.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <p>It gets another text, and lives as long again as it was made for. Until the old text ends, both are good: put the new one in its place meanwhile.</p>
        {t.before_roles && <p>It is older than roles. From then on its permissions follow the roles.</p>}
        <Field name="The old text ends">
          <select className="select select-sm" value={hours} onChange={(e) => setHours(Number(e.target.value))}>{overlaps.map(([h, words]) => <option key={h} value={h}>{words}</option>)}</select>
        </Field>
      </Form>
    </Dialog>
  )
}

function Revoke({ t, close }: { t: api.TokenInfo; close: () => void }) {
  const client = useQueryClient()
  const say = useSay()
  const revoke = useMutation({
    mutationFn: () => api.revokeToken(t.id),
    onSuccess: () => {
      say(`Token ${t.id} has ended`)
      void client.invalidateQueries({ queryKey: ask.tokens().queryKey })
      close()
    },
  })
  return (
    <Dialog title={`Revoke token ${t.id}, ${t.label}`} close={close}>
      <Form button="Revoke it" submit={() => revoke.mutate()} busy={revoke.isPending} error={revoke.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <p>What uses it is refused from now on. This cannot be undone. To change it without a gap, rotate it.</p>
      </Form>
    </Dialog>
  )
}
