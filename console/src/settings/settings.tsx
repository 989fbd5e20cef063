import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { lost } from '../core/current.ts'
import { changesOf, settingsOf } from '../core/settings.ts'
import type { Settings } from '../core/settings.ts'
import { args } from '../core/shell.ts'
import { useAddress } from '../shared/address.ts'
import { Card, Field, Form, Page } from '../shared/page.tsx'
import { Copy, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import { Keys } from './keys.tsx'
import { Members } from './members.tsx'
import { useOperator, useRole } from '../shared/rights.ts'

/** What a project's maintainers set: members, keys, who may report, what is kept. */
export function SettingsPage() {
  const { project } = useAddress('settings')
  const may = useMayChange(project)
  const got = useQuery(ask.project(project))
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  return (
    <Page title="Settings" about="Members, keys, who may report, and what is kept." actions={<Copy text={`firethorn project show ${args(project)}`}>Copy as command</Copy>}>
      {!may && <p className="soft">Maintainers of the project see keys and change settings.</p>}
      <Members project={project} may={may} />
      {may && <Keys project={project} />}
      <Card title="Intake and retention"><Kept key={JSON.stringify(got.data)} project={got.data} /></Card>
    </Page>
  )
}

/** Maintainers change settings, and operators, whatever their role. */
const useMayChange = (project: string) => [useRole(project, 'maintainer'), useOperator()].includes(true)

const days = [7, 30, 90, 365]

function Kept({ project }: { project: api.Project }) {
  const before = settingsOf(project)
  const operator = useOperator()
  const may = useMayChange(project.name)
  const [now, setNow] = useState<Settings>(before)
  const client = useQueryClient()
  const say = useSay()
  const changed = changesOf(before, now)
  const change = useMutation({
    mutationFn: (body: api.ChangeProject) => api.changeProject(project.name, body),
    onSuccess: () => {
      say('Saved')
      void client.invalidateQueries({ queryKey: ask.allOf(project.name) })
    },
  })
  const field = (name: keyof Settings) => ({ value: now[name], onChange: (e: { target: { value: string } }) => setNow({ ...now, [name]: e.target.value }) })
  return (
    <Form button="Save" submit={() => change.mutate(changed.body)} busy={change.isPending} off={!may || Object.keys(changed.body).length === 0 || changed.wrong !== ''} error={changed.wrong || change.error?.message}>
      <Field name="Origins" hint="Web pages that may report, one a line, such as https://quayside.example; * is any. Without one only servers may.">
        <textarea className="textarea mono w-full" rows={Math.max(2, now.origins.split('\n').length)} {...field('origins')} />
      </Field>
      <div className="grid gap-3 sm:grid-cols-2">
        <Field name="Events are kept for">
          <select className="select select-sm w-full" {...field('keepDays')}>{days.map((d) => <option key={d} value={d}>{d} days</option>)}</select>
        </Field>
        <Field name="Symbols are kept for (days)">
          <input className="input input-sm w-full" inputMode="numeric" {...field('keepSymbols')} />
        </Field>
        <Field name="Events a minute, at most" hint="0: any number; -1: the default">
          <input className="input input-sm w-full" inputMode="numeric" {...field('minute')} />
        </Field>
        <Field name="Events a day, at most" hint="0: any number; -1: the default">
          <input className="input input-sm w-full" inputMode="numeric" {...field('day')} />
        </Field>
        <Field name="Releases are ordered by">
          <select className="select select-sm w-full" {...field('order')}>
            {[['auto', 'commit, else version'], ['commits', 'commit'], ['versions', 'version'], ['announcement', 'announcement']].map(([v, words]) => <option key={v} value={v}>{words}</option>)}
          </select>
        </Field>
        <Field name="Log messages without an exception">
          <select className="select select-sm w-full" {...field('logs')}>
            {[['off', 'are not events'], ['error', 'are events from error on'], ['fatal', 'are events if fatal']].map(([v, words]) => <option key={v} value={v}>{words}</option>)}
          </select>
        </Field>
        <Field name="Country of client addresses" hint="Noted where the service has a database file for it">
          <select className="select select-sm w-full" {...field('countries')}>
            {[['off', 'is not noted'], ['on', 'is noted']].map(([v, words]) => <option key={v} value={v}>{words}</option>)}
          </select>
        </Field>
        <Field name="Sessions that were cut off" hint="No message after the last sign of life: a hang, a kill, an empty battery">
          <select className="select select-sm w-full" {...field('cutOff')}>
            {[['not', 'do not count as crashed'], ['crashed', 'count as crashed']].map(([v, words]) => <option key={v} value={v}>{words}</option>)}
          </select>
        </Field>
      </div>
      <Field name="Repository" hint={`Where the code may be fetched from, https or ssh; empty: builds send it.${operator ? '' : ' Only operators change it.'}`}>
        <input className="input input-sm mono w-full" disabled={!operator} {...field('repository')} />
      </Field>
      <Field name="Where people read a commit" hint="{commit} stands for its hash.">
        <input className="input input-sm mono w-full" placeholder="https://code.example/quayside/commit/{commit}" {...field('link')} />
      </Field>
    </Form>
  )
}
