import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { lost } from '../core/current.ts'
import { count, counted } from '../core/format.ts'
import { rolesWords } from '../core/roles.ts'
import { useFew } from '../shared/few.tsx'
import { Card, Form, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Dialog, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import { Invite, LinkDialog, RolesOf } from './invite.tsx'
import { Teams } from './teams.tsx'
import { useOperator } from '../shared/rights.ts'

/** Who works here, and in which teams. */
export function PeoplePage() {
  const got = useQuery(ask.people())
  const [inviting, setInviting] = useState(false)
  const operator = useOperator()
  const here = got.data?.people.filter((p) => !p.left) ?? []
  const { shown, field, rest } = useFew(here, 'somebody', (p) => `${p.name} ${p.email}`)
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const left = got.data.people.filter((p) => p.left)
  return (
    <Page
      title="People"
      about={`${here.length === 1 ? '1 person' : `${count(here.length)} people`} in ${counted(got.data.teams.length, 'team')}.${operator ? '' : ' You see the people who share a project with you. Operators change who works here.'}`}
      actions={
        <>
          {field}
          {operator && <button className="btn btn-primary btn-sm" onClick={() => setInviting(true)}>Add someone</button>}
          <Copy text="firethorn person list">Copy as command</Copy>
        </>
      }
    >
      <Card label="People" flush>
        <Table label="People" columns={['Name', 'Address', 'Roles', 'Here since', { name: 'Actions', hidden: true }]}>
          {shown.map((p) => <Row key={p.email} p={p} operator={operator} />)}
        </Table>
        {rest}
      </Card>
      <Teams teams={got.data.teams} people={here} operator={operator} />
      {left.length > 0 && (
        <Card title="Left" flush>
          <Table label="Who left" columns={['Name', 'Address', 'Left', 'Still theirs', { name: 'Actions', hidden: true }]}>
            {left.map((p) => <LeftRow key={p.email} p={p} operator={operator} />)}
          </Table>
        </Card>
      )}
      {inviting && <Invite close={() => setInviting(false)} />}
    </Page>
  )
}

/** What is done about somebody, with its words. */
function useAbout(done: (words: string) => void = () => undefined) {
  const client = useQueryClient()
  const say = useSay()
  return {
    failed: (e: Error) => say(e.message, true),
    succeeded: (words: string) => {
      say(words)
      done(words)
      void client.invalidateQueries({ queryKey: ask.people().queryKey })
    },
  }
}

function Row({ p, operator }: { p: api.Person; operator: boolean }) {
  const about = useAbout()
  const [link, setLink] = useState<string>()
  const [leaving, setLeaving] = useState(false)
  const [roles, setRoles] = useState(false)
  const invite = useMutation({ mutationFn: () => api.invitePerson(p.name), onSuccess: (now) => setLink(now.sign_in_link), onError: about.failed })
  const end = useMutation({ mutationFn: () => api.signOutPerson(p.name), onSuccess: (now) => about.succeeded(`${p.name}: ${counted(now.sessions, 'session')} ended`), onError: about.failed })
  return (
    <tr>
      <td className="name font-semibold">{p.name}</td>
      <td className="name address">{p.email}</td>
      <td className="name">{rolesWords(p)}</td>
      <td className="whitespace-nowrap"><Ago at={p.created} /></td>
      <td className="text-right whitespace-nowrap">
        <span className={operator ? 'inline-flex gap-1' : 'hidden'}>
          <button className="btn btn-outline btn-xs font-normal" onClick={() => setRoles(true)} aria-label={`Roles of ${p.name}`}>Roles</button>
          <button className="btn btn-outline btn-xs font-normal" onClick={() => invite.mutate()} disabled={invite.isPending} aria-label={`Sign-in link for ${p.name}`}>Sign-in link</button>
          <button className="btn btn-outline btn-xs font-normal" onClick={() => end.mutate()} disabled={end.isPending} aria-label={`Sign out ${p.name} everywhere`}>Sign out</button>
          <button className="btn btn-outline btn-xs font-normal" onClick={() => setLeaving(true)} aria-label={`${p.name} leaves`}>Leaves</button>
        </span>
        {link && <LinkDialog name={p.name} link={link} close={() => setLink(undefined)} />}
        {roles && <RolesOf p={p} close={() => setRoles(false)} />}
        {leaving && <Leaving p={p} close={() => setLeaving(false)} />}
      </td>
    </tr>
  )
}

function LeftRow({ p, operator }: { p: api.Person; operator: boolean }) {
  const about = useAbout()
  const back = useMutation({ mutationFn: () => api.personLeft(p.name, false), onSuccess: () => about.succeeded(`${p.name} works here again`), onError: about.failed })
  return (
    <tr>
      <td className="name font-semibold">{p.name}</td>
      <td className="name address">{p.email}</td>
      <td>{p.left && <Ago at={p.left} />}</td>
      <td>{p.carries ? <Link className="link" to="/owners">{counted(p.carries, 'issue')}</Link> : <span className="soft">nothing</span>}</td>
      <td className="text-right">{operator && <button className="btn btn-outline btn-xs font-normal" onClick={() => back.mutate()} aria-label={`${p.name} works here again`}>Works here again</button>}</td>
    </tr>
  )
}

function Leaving({ p, close }: { p: api.Person; close: () => void }) {
  const about = useAbout(close)
  const leave = useMutation({ mutationFn: () => api.personLeft(p.name, true), onSuccess: () => about.succeeded(`${p.name} does not work here any more`), onError: about.failed })
  return (
    <Dialog title={`${p.name} leaves`} close={close}>
      <Form button="They left" submit={() => leave.mutate()} busy={leave.isPending} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <p>Their roles, tokens and sessions end. Their issues stay theirs until you hand them over, and their name stays in the history. They can return.</p>
      </Form>
    </Dialog>
  )
}
