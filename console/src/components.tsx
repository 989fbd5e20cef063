import { useState } from 'react'
import { createRoot } from 'react-dom/client'
import './app.css'
import { Alert, Card, Choice, Field, Form, Page, Table } from './shared/page.tsx'
import { Ago, Buttons, Copy, Dialog, Empty, Failed, Figure, Loading, State, StemAndBerry } from './shared/parts.tsx'
import { scaleOf } from './core/stem.ts'

/*
 * All components in both themes, on one page: looked at when anything changes. It is
 * built by npm run components, into build/components, and is no part of the product.
 */

const days = [3, 0, 12, 40, 7, 1, 0, 0, 90, 310, 44, 12, 9, 2].map((events, i) => ({ day: `2026-11-${String(i + 10)}`, events, users: Math.ceil(events / 5) }))
const long = 'Bericht-über-Fährenverspätungen-' + 'x'.repeat(170)

function All() {
  const [window, setWindow] = useState(7)
  const [open, setOpen] = useState(false)
  return (
    <Page title="Components" about="One sentence that says what the page is for." actions={<><button className="btn btn-primary btn-sm">Main action</button><button className="btn btn-outline btn-sm font-normal">Other</button><button className="btn btn-sm" disabled>Off</button><Copy text="firethorn issue list">Copy as command</Copy></>}>
      <Alert>Traces of 4.2.0 cannot be read: push its source maps.</Alert>
      <Alert tone="bad">The database does not answer.</Alert>
      <Card title="A table" note="With figures at the right, a name that does not end, and one from right to left." flush actions={<Choice label="Window" all={[[1, 'today'], [7, '7 days'], [30, '30 days']]} now={window} choose={setWindow} />}>
        <Table label="A table" columns={['Name', 'State', { name: 'Events', right: true }, 'Seen', '14 days']}>
          {['quayside', long, 'مواعيد العبّارات'].map((name, i) => (
            <tr key={name} aria-current={i === 0 ? 'true' : undefined}>
              <td className="name font-semibold">{name}</td>
              <td><State state={['new', 'regressed', 'fixed'][i]!} fixedIn="4.2.1" /></td>
              <td className="text-right">{[1204, 7, 12_400][i]}</td>
              <td><Ago at="2026-11-20T10:00:00Z" /></td>
              <td><StemAndBerry days={days} scale={scaleOf([days])} events={530} users={110} width={148} height={28} berry={4} /></td>
            </tr>
          ))}
        </Table>
      </Card>
      <div className="grid gap-4 md:grid-cols-2">
        <Card title="A form">
          <Form button="Save" submit={() => undefined} error="Days: write a whole number from 1 to 365." extra={<button type="button" className="btn btn-ghost btn-sm">Cancel</button>}>
            <Field name="Name" hint="Small letters, digits and dashes."><input className="input input-sm w-full" placeholder="quayside" /></Field>
            <Field name="Kept for"><select className="select select-sm"><option>30 days</option></select></Field>
            <label className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" defaultChecked /> with sessions</label>
            <label className="flex items-center gap-2"><input type="checkbox" className="toggle toggle-sm" defaultChecked /> raw trace</label>
          </Form>
        </Card>
        <Card title="Figures, states, keys">
          <dl className="flex flex-wrap gap-6"><Figure name="users">87</Figure><Figure name="events">1,204</Figure><Figure name="impact"><span className="hurts">62</span></Figure></dl>
          <p className="mt-3 flex flex-wrap gap-2">{['new', 'accepted', 'regressed', 'parked', 'fixed', 'dismissed'].map((s) => <State key={s} state={s} />)}</p>
          <p className="mt-3">Press <kbd className="kbd kbd-sm">a</kbd> or <kbd className="kbd kbd-xs">Esc</kbd>; <span className="soft">what is said beside</span>, <span className="hurts">what hurts</span>, <span className="text-warning">what to note</span>, <span className="text-info">what to know</span>, <a className="link" href="#x">a link</a>, <code className="mono">src/berths/map.ts:32</code>.</p>
          <pre className="shell mt-3">firethorn symbols push --project quayside --release 4.2.0 dist</pre>
          <button className="btn btn-outline btn-sm mt-3 font-normal" onClick={() => setOpen(true)}>A dialog</button>
        </Card>
      </div>
      <Card title="Nothing yet"><Empty title="No release yet"><p>Events name theirs as service.version.</p></Empty></Card>
      <Failed error={new Error('The service does not answer. Nothing was changed; try again in a moment.')} again={() => undefined} />
      <Loading />
      {open && <Dialog title="Delete 1 issue with 1,204 events?" close={() => setOpen(false)}><p>This cannot be undone.</p><form onSubmit={(e) => e.preventDefault()}><Buttons close={() => setOpen(false)} words="Delete" /></form></Dialog>}
    </Page>
  )
}

document.documentElement.dataset.theme = new URLSearchParams(location.search).get('theme') ?? 'blossom'
createRoot(document.getElementById('root')!).render(<main><All /></main>)
