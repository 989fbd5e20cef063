import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { pageAt } from '../core/address.ts'
import { Card, Field, Form, Page } from '../shared/page.tsx'
import { Dialog } from '../shared/parts.tsx'
import { useOperator } from '../shared/rights.ts'

/** Makes a project, and goes on to how its application reports. */
function ProjectForm({ cancel }: { cancel?: () => void }) {
  const [name, setName] = useState('')
  const go = useNavigate()
  const client = useQueryClient()
  const make = useMutation({
    mutationFn: () => api.createProject(name.trim()),
    onSuccess: (p) => {
      void client.invalidateQueries({ queryKey: ask.projects().queryKey })
      void go(pageAt(p.name, 'set-up'))
    },
  })
  return (
    <Form button="Make the project" submit={() => make.mutate()} busy={make.isPending} off={!name.trim()} error={make.error?.message} extra={cancel && <button type="button" className="btn btn-ghost btn-sm" onClick={cancel}>Cancel</button>}>
      <Field name="Name" hint="Small letters, digits and dashes, such as quayside.">
        <input className="input input-sm w-full" value={name} onChange={(e) => setName(e.target.value)} maxLength={200} autoFocus spellCheck={false} autoCapitalize="none" />
      </Field>
    </Form>
  )
}

export function NewProject({ close }: { close: () => void }) {
  return <Dialog title="New project" close={close}><ProjectForm cancel={close} /></Dialog>
}

/** The first page of a service without a project. */
export function FirstProject() {
  const operator = useOperator()
  if (!operator) return <Page title="No project yet" about="A project is one application. Somebody who may do so makes the first one; then its issues stand here." />
  return (
    <Page title="Welcome" about="Firethorn collects the errors of your applications, makes their traces readable, and groups them into issues.">
      <div className="grid max-w-5xl gap-4 md:grid-cols-2">
        <Card title="1. Make a project"><p className="soft mb-2">A project is one application.</p><ProjectForm /></Card>
        <Card title="Next steps">
          <ol className="list-decimal space-y-1 pl-5">
            <li value={2}>Choose the runtime of the application, and follow three steps.</li>
            <li>Send a test event. The page shows when it arrives.</li>
            <li>Push the source maps of your build, and the trace becomes readable.</li>
          </ol>
          <p className="soft mt-3">The same in a terminal: <code className="mono">firethorn init</code></p>
        </Card>
      </div>
    </Page>
  )
}
