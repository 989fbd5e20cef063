import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as asking from '../api/alerts.ts'
import { Choice, Field, Form } from '../shared/page.tsx'
import { Dialog } from '../shared/parts.tsx'

const kinds = [['webhook', 'Webhook'], ['chat', 'Chat room'], ['mail', 'Mail'], ['pager', 'Pager'], ['tickets', 'Tickets']] as const
type Kind = (typeof kinds)[number][0]

const addresses: Record<Kind, string> = {
  webhook: 'https://operations.marrowsound.example/hooks/firethorn', chat: 'https://chat.marrowsound.example/hooks/harbour', mail: 'smtp://mail.marrowsound.example:587', pager: 'https://alertmanager.marrowsound.example',
  tickets: 'https://board.marrowsound.example/api',
}

/** Asks for a destination. The secret of a webhook is shown once. */
export function NewDestination({ close }: { close: () => void }) {
  const [kind, setKind] = useState<Kind>('webhook')
  const [f, setForm] = useState({ name: '', url: '', from: '', to: '', user: '', secret: '', allow: '', template: '', description: '' })
  const client = useQueryClient()
  const field = (name: keyof typeof f) => ({ value: f[name], onChange: (e: { target: { value: string } }) => setForm({ ...f, [name]: e.target.value }) })
  const make = useMutation({
    mutationFn: () => asking.createDestination({
      name: f.name.trim(), kind, url: f.url.trim(),
      ...(f.allow.trim() ? { allow_inside: f.allow.trim() } : {}),
      ...(kind === 'chat' && f.template.trim() ? { template: f.template } : {}),
      ...(kind === 'tickets' ? { description: f.description, ...(f.secret ? { secret: f.secret } : {}) } : {}),
      ...(kind === 'mail' ? { from: f.from.trim(), to: f.to.split(/[\s,;]+/).filter(Boolean), ...(f.user ? { user: f.user, secret: f.secret } : {}) } : {}),
    }),
    onSuccess: () => void client.invalidateQueries({ queryKey: asking.destinationsKey }),
  })
  if (make.data) {
    return (
      <Dialog title={`${make.data.name} is made`} close={close}>
        {make.data.secret && (
          <>
            {kind === 'tickets' ? (
              <>
                <p>The tracker sends its webhooks here, if its description has a hook:</p>
                <pre className="shell mt-2" tabIndex={0} aria-label="The address of webhooks">{make.data.hook_url}</pre>
                <p className="mt-2">It signs them with this secret, which is shown once:</p>
              </>
            ) : <p>Messages are signed with this secret. It is shown once:</p>}
            <pre className="shell mt-2" tabIndex={0} aria-label="The secret">{make.data.secret}</pre>
          </>
        )}
        <p className="mt-2">Send a test with its button in the list, and name it in alert rules: <code>to: [{make.data.name}]</code></p>
        <p className="mt-4 text-right"><button className="btn btn-primary btn-sm" autoFocus onClick={close}>Close</button></p>
      </Dialog>
    )
  }
  return (
    <Dialog title="New destination" close={close} wide>
      <Form button="Make it" submit={() => make.mutate()} busy={make.isPending} off={!f.name.trim() || !f.url.trim() || (kind === 'tickets' && !f.description.trim())} error={make.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm font-normal" onClick={close}>Cancel</button>}>
        <Choice label="Kind" all={kinds} now={kind} choose={setKind} />
        <Field name="Name" hint="Alert rules call it so."><input className="input input-sm w-full" autoFocus maxLength={60} {...field('name')} /></Field>
        <Field name="Address" hint={kind === 'mail' ? 'smtp:// with STARTTLS, or smtps://' : kind === 'pager' ? 'Of a Prometheus Alertmanager' : undefined}><input className="input input-sm mono w-full" placeholder={addresses[kind]} {...field('url')} /></Field>
        {kind === 'mail' && (
          <>
            <Field name="Sender"><input className="input input-sm w-full" placeholder="Firethorn <firethorn@marrowsound.example>" {...field('from')} /></Field>
            <Field name="To" hint="Addresses. Empty: it sends mail to people, in the way each of them chose."><input className="input input-sm w-full" {...field('to')} /></Field>
            <div className="grid gap-3 sm:grid-cols-2">
              <Field name="User"><input className="input input-sm w-full" autoComplete="off" {...field('user')} /></Field>
              <Field name="Password"><input className="input input-sm w-full" type="password" autoComplete="new-password" {...field('secret')} /></Field>
            </div>
          </>
        )}
        {kind === 'tickets' && (
          <>
            <Field name="Description" hint="How the tracker's API is used, as YAML. docs/tickets.md has three to begin with; firethorn destination check tries one."><textarea className="textarea mono h-48 w-full" spellCheck={false} {...field('description')} /></Field>
            <Field name="Secret" hint="What {{secret}} of the description stands for."><input className="input input-sm w-full" type="password" autoComplete="new-password" {...field('secret')} /></Field>
          </>
        )}
        {kind === 'chat' && <Field name="Template" hint={'JSON with {{text}} within a text. Empty: {"text": "{{text}}"}'}><input className="input input-sm mono w-full" {...field('template')} /></Field>}
        <Field name="May reach inside" hint="HOST:PORT in your own network that it may reach. Empty: nothing inside."><input className="input input-sm mono w-full" {...field('allow')} /></Field>
      </Form>
    </Dialog>
  )
}
