import { useMutation, useQueryClient } from '@tanstack/react-query'
import * as api from '../api/client.ts'
import type { IssueDetail } from '../api/client.ts'
import { decidedIn } from '../decide/decided.ts'
import { Dialog } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** What a link in a message asks for: one button does it. Mail scanners follow links, so opening one changes nothing. */
export function Confirm({ issue, ask, me, close }: { issue: IssueDetail; ask: 'accept' | 'take'; me: string; close: () => void }) {
  const client = useQueryClient()
  const say = useSay()
  const act = useMutation({
    mutationFn: () => (ask === 'accept' ? api.act(issue.id, 'accept', {}, issue.version) : api.act(issue.id, 'assign', { to: me }, issue.version)),
    onSuccess: (now) => {
      say(`${now.id}: ${now.standing}`)
      decidedIn(client, now)
      close()
    },
  })
  const words = ask === 'accept' ? 'Accept it' : 'Take it'
  return (
    <Dialog title={`${words}?`} close={close}>
      <p><b className="font-semibold">{issue.id}</b> {issue.headline}</p>
      <p className="soft mt-1">{ask === 'accept' ? 'It is real and will be worked on.' : 'You have it from then on.'}</p>
      {act.error && <p role="alert" className="hurts mt-2">{act.error.message}</p>}
      <p className="mt-4 flex justify-end gap-2">
        <button className="btn btn-ghost btn-sm font-normal" onClick={close}>Not now</button>
        <button className="btn btn-primary btn-sm" autoFocus disabled={act.isPending} onClick={() => act.mutate()}>{words}</button>
      </p>
    </Dialog>
  )
}
