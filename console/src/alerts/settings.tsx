import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import * as asking from '../api/alerts.ts'
import { lost } from '../core/current.ts'
import { Alert, Card, Page, Table } from '../shared/page.tsx'
import { Copy, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

const kinds: readonly (readonly [string, string])[] = [
  ['new', 'A new issue'], ['regressed', 'An issue came back'], ['woken', 'A parked issue woke up'], ['surging', 'An issue surges'], ['threshold', 'An issue reached a threshold'], ['assigned', 'An issue was assigned'],
  ['commented', 'A comment'], ['fixed', 'An issue was called fixed'], ['holding', 'A fix holds'], ['release.worse', 'A release is worse'], ['symbols.missing', 'Traces cannot be read'],
]
const choices: readonly (readonly [string, string])[] = [['mail', 'By mail, at once'], ['digest', 'In a daily mail at nine'], ['console', 'In the console alone']]

/** How a person gets each kind of notice. */
export function NoticeSettingsPage() {
  const got = useQuery(asking.wishes())
  const client = useQueryClient()
  const say = useSay()
  const change = useMutation({ mutationFn: asking.setWishes, onSuccess: (w) => client.setQueryData(asking.wishes().queryKey, w), onError: (e) => say(e.message, true) })
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const w = got.data
  const zones = Intl.supportedValuesOf('timeZone')
  return (
    <Page title="Notice settings" about="Alert rules decide which notices you get. You decide how you get them." actions={<Copy text="firethorn notice settings">Copy as command</Copy>}>
      {!w.mail && <Alert>The service has no mail server yet, so notices appear in the console only. An operator adds one under Destinations.</Alert>}
      <Card title="Notices" flush>
        <Table label="Notices" columns={['Notice', ...choices.map(([, words]) => words)]}>
          {kinds.map(([kind, words]) => (
            <tr key={kind}>
              <td className="name">{words}</td>
              {choices.map(([c, how]) => (
                <td key={c}><input type="radio" className="radio radio-sm" name={kind} aria-label={`${words}: ${how}`} checked={w.notices[kind] === c} onChange={() => change.mutate({ notices: { [kind]: c } })} /></td>
              ))}
            </tr>
          ))}
        </Table>
      </Card>
      <Card title="Time zone" note="For the daily mail, and for the times in mails.">
        <select className="select select-sm w-auto" aria-label="Time zone" value={w.zone} onChange={(e) => change.mutate({ zone: e.target.value })}>
          <option value="">UTC</option>
          {zones.map((z) => <option key={z}>{z}</option>)}
        </select>
      </Card>
    </Page>
  )
}
