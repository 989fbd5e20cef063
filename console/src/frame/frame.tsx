import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { Outlet, ScrollRestoration, useLocation, useParams } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { help } from '../core/keys.ts'
import { Bar } from './bar.tsx'
import { NotCurrent } from './current.tsx'
import { nameOf } from './pages.ts'
import { Palette, useFindKey } from './palette.tsx'
import { SignInAgain } from './sign-in-again.tsx'
import { keysOff, setKeysOff, useKeys } from '../shared/keys.ts'
import { useLive } from '../shared/live.ts'
import { Dialog, Failed, Loading, Mark } from '../shared/parts.tsx'
import { SayProvider } from '../shared/say.tsx'
import { useTitle } from '../shared/title.ts'
import { PausedNotice } from './paused.tsx'
import { UnreadNotice } from './unread.tsx'

/** What is around every page: the bar, what is not current, the keys. */
export function Frame() {
  const { project = '' } = useParams()
  const who = useQuery({ ...ask.me(), retry: false })
  const [helping, setHelp] = useState(false)
  const search = useRef<HTMLInputElement>(null)
  useKeys('everywhere', { help: () => setHelp(true), search: () => search.current?.focus() })
  const [finding, setFinding] = useState(false)
  useFindKey(() => setFinding(true))
  if (who.error instanceof api.ApiError && who.error.status === 401) return <SignedOut />
  if (who.error && !who.data) return <Failed error={who.error} again={() => void who.refetch()} />
  if (!who.data) return <Loading />
  return (
    <SayProvider>
      <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:z-30 focus:bg-base-100 focus:p-2">
        Skip to the content
      </a>
      <Bar project={project} name={who.data.name} search={search} help={() => setHelp(true)} />
      <NotCurrent />
      <ScrollRestoration getKey={(at) => (/\/(issues|events|users)$/.test(at.pathname) ? at.pathname + at.search : at.key)} />
      <Main project={project} />
      <SignInAgain />
      {helping && <Keys close={() => setHelp(false)} />}
      {finding && <Palette project={project} close={() => setFinding(false)} help={() => setHelp(true)} />}
    </SayProvider>
  )
}

/** The page itself. It takes the focus when another page opens, so that keys and screen readers begin there. */
function Main({ project }: { project: string }) {
  const { pathname } = useLocation()
  const main = useRef<HTMLElement>(null)
  useLive() // changes are sent only to people who are signed in
  const before = useRef(pathname)
  const page = pathname.split('/')[3] ?? pathname.split('/')[1] ?? ''
  useTitle(...(ownTitle.has(page) ? [] : [nameOf(page), project]))
  useEffect(() => {
    if (before.current !== pathname) main.current?.focus({ preventScroll: true })
    before.current = pathname
  }, [pathname])
  return (
    <main id="main" ref={main} tabIndex={-1} className="outline-none">
      {project && <UnreadNotice project={project} />}
      {project && <PausedNotice project={project} />}
      <Outlet />
    </main>
  )
}

const ownTitle = new Set(['issues', 'events', 'users', 'round', 'impact', 't'])

function SignedOut() {
  return (
    <main className="mx-auto max-w-xl px-6 py-20">
      <p className="flex items-center gap-2 text-lg font-semibold">
        <Mark /> Firethorn
      </p>
      <h1 className="mt-6 text-2xl font-semibold">You are not signed in</h1>
      <p className="mt-3">Open a sign-in link. Each works once. Whoever runs the service makes one with:</p>
      <pre className="shell mt-3" tabIndex={0} aria-label="The command">firethorn person link "YOUR NAME"</pre>
    </main>
  )
}

function Keys({ close }: { close: () => void }) {
  const [quiet, setQuiet] = useState(keysOff())
  return (
    <Dialog title="Keys" close={close} wide>
      <div className="columns-1 gap-x-8 sm:columns-2">
        {help().map((part) => (
          <section key={part.title} className="mb-3 break-inside-avoid">
            <h3 className="mb-1 font-semibold">{part.title}</h3>
            <dl className="grid grid-cols-[6.5rem_1fr] gap-y-0.5">
              {part.keys.map((k) => (
                <div key={k.words} className="contents">
                  <dt className="flex flex-wrap gap-1">{k.keys.map((name) => <kbd key={name} className="kbd kbd-sm">{name}</kbd>)}</dt>
                  <dd>{k.words}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
      <label className="mt-4 flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={quiet}
          onChange={(e) => {
            setKeysOff(e.target.checked)
            setQuiet(e.target.checked)
          }}
        />
        Switch single-letter keys off
      </label>
      <div className="mt-4 text-right">
        <button className="btn btn-primary btn-sm" onClick={close} autoFocus>
          Close
        </button>
      </div>
    </Dialog>
  )
}
