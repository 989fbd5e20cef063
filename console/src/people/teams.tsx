import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { rolesWords } from '../core/roles.ts'
import { Card, Field, Form, Table } from '../shared/page.tsx'
import { Dialog } from '../shared/parts.tsx'

/** Teams: people who have issues together. */
export function Teams({ teams, people, operator }: { teams: api.Team[]; people: api.Person[]; operator: boolean }) {
  const [asked, setAsked] = useState<api.Team | 'new'>()
  return (
    <Card title="Teams" note="People who have issues together. Members hear of their team's issues." flush actions={operator && <button className="btn btn-outline btn-sm font-normal" onClick={() => setAsked('new')}>New team</button>}>
      {teams.length === 0 ? <p className="soft px-3 pb-2">No team yet. CODEOWNERS, rules and comments can name one, such as @harbour-office.</p> : (
        <Table label="Teams" columns={['Team', 'Named as', 'Members', 'Roles', { name: 'Actions', hidden: true }]}>
          {teams.map((t) => (
            <tr key={t.name}>
              <td className="name font-semibold">{t.name}</td>
              <td className="name mono">{t.handle}</td>
              <td className="name">{t.members.join(', ') || <span className="soft">nobody</span>}</td>
              <td className="name">{rolesWords({ ...t, operator: false })}</td>
              <td className="text-right">{operator && <button className="btn btn-outline btn-xs font-normal" onClick={() => setAsked(t)} aria-label={`Change the team ${t.name}`}>Change</button>}</td>
            </tr>
          ))}
        </Table>
      )}
      {asked && <Change team={asked === 'new' ? undefined : asked} people={people} close={() => setAsked(undefined)} />}
    </Card>
  )
}

function Change({ team, people, close }: { team: api.Team | undefined; people: api.Person[]; close: () => void }) {
  const [name, setName] = useState(team?.name ?? '')
  const [members, setMembers] = useState<string[]>(team?.members ?? [])
  const client = useQueryClient()
  const add = members.filter((m) => !team?.members.includes(m))
  const remove = (team?.members ?? []).filter((m) => !members.includes(m))
  const save = useMutation({
    mutationFn: () => (team ? api.changeTeam(team.name, { add, remove }) : api.createTeam(name, members)),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ask.people().queryKey })
      close()
    },
  })
  const toggle = (who: string, on: boolean) => setMembers(on ? [...members, who] : members.filter((m) => m !== who))
  return (
    <Dialog title={team ? `Members of ${team.name}` : 'New team'} close={close}>
      <Form button={team ? 'Save' : 'Make it'} submit={() => save.mutate()} busy={save.isPending} off={!name.trim() || (team !== undefined && add.length + remove.length === 0)} error={save.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        {!team && <Field name="Name"><input className="input input-sm w-full" value={name} onChange={(e) => setName(e.target.value)} maxLength={100} autoFocus /></Field>}
        <fieldset>
          <legend className="font-semibold">Members</legend>
          <div className="max-h-64 overflow-y-auto">
            {people.map((p) => (
              <label key={p.email} className="flex items-center gap-2 py-0.5"><input type="checkbox" className="checkbox checkbox-sm" checked={members.includes(p.name)} onChange={(e) => toggle(p.name, e.target.checked)} /> {p.name}</label>
            ))}
          </div>
        </fieldset>
      </Form>
    </Dialog>
  )
}
