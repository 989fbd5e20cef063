import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { linkSecret } from '../core/link.ts'
import { Field, Form } from '../shared/page.tsx'
import { Dialog } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** Asks for a fresh sign-in where the service wants one: what was asked for cannot be undone, or changes who may do what. */
export function SignInAgain() {
  const client = useQueryClient()
  const [asked, setAsked] = useState(false)
  useEffect(
    () =>
      client.getMutationCache().subscribe((e) => {
        const error = e.mutation?.state.error
        if (e.type === 'updated' && e.action.type === 'error' && error instanceof api.ApiError && error.code === 'fresh_sign_in') setAsked(true)
      }),
    [client],
  )
  return asked ? <Again close={() => setAsked(false)} /> : null
}

function Again({ close }: { close: () => void }) {
  const client = useQueryClient()
  const say = useSay()
  const [link, setLink] = useState('')
  const secret = linkSecret(link)
  const signIn = useMutation({
    mutationFn: () => api.signIn(secret),
    onSuccess: () => {
      say('Signed in. Do it again now.')
      void client.invalidateQueries({ queryKey: ask.me().queryKey })
      close()
    },
  })
  return (
    <Dialog title="Sign in again" close={close}>
      <Form button="Sign in" submit={() => signIn.mutate()} busy={signIn.isPending} off={!secret} error={signIn.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <p>This cannot be undone, or it changes permissions. It needs a sign-in within the last 10 minutes.</p>
        <p>Make a link in a terminal where you are logged in, or ask an operator for one:</p>
        <pre className="shell">firethorn person link</pre>
        <Field name="Sign-in link">
          <input className="input input-sm mono w-full" value={link} onChange={(e) => setLink(e.target.value)} autoFocus autoComplete="off" spellCheck={false} />
        </Field>
      </Form>
    </Dialog>
  )
}
