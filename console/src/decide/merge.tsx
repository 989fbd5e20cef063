import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Issue } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { counted } from '../core/format.ts'
import { heaviest, mergeWords } from '../core/merging.ts'
import { Buttons, Dialog } from '../shared/parts.tsx'

export interface MergeChoice {
  into: string
  from: string[]
}

/** Asks which issue stays: one of those marked, or, for a single one, any other of the project. */
export function MergeDialog({ chosen, close, done }: { chosen: Issue[]; close: () => void; done: (c: MergeChoice) => void }) {
  const [only] = chosen
  const single = chosen.length === 1 && only !== undefined
  const [into, setInto] = useState(single ? '' : heaviest(chosen))
  const from = chosen.map((i) => i.id).filter((id) => id !== into)
  return (
    <Dialog title={single ? `Merge ${only.id} into which issue?` : 'Which issue stays?'} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          if (into) done({ into, from })
        }}
      >
        {single ? <Search issue={only} into={into} setInto={setInto} /> : <Choices list={chosen} into={into} setInto={setInto} />}
        <p className="soft mt-2">The one that stays keeps its state and owner; the numbers of the others lead there. Undo takes it back.</p>
        <Buttons close={close} off={!into} words={mergeWords(from, into)} />
      </form>
    </Dialog>
  )
}

function Choices({ list, into, setInto }: { list: Issue[]; into: string; setInto: (id: string) => void }) {
  return (
    <fieldset className="max-h-72 min-w-0 overflow-y-auto rounded border border-base-300">
      <legend className="sr-only">The issue that stays</legend>
      {list.map((i) => (
        <label key={i.id} className="flex cursor-pointer items-baseline gap-2 border-b border-base-300/60 px-2 py-1 last:border-0 hover:bg-base-200">
          <input type="radio" name="into" className="radio radio-xs translate-y-0.5" value={i.id} checked={into === i.id} onChange={() => setInto(i.id)} />
          <span className="min-w-0 grow">
            <span className="block truncate font-semibold">{i.headline}</span>
            <span className="soft block truncate text-[.9rem]">
              {i.id}, {i.state}, {counted(i.users, 'user')}, {counted(i.events, 'event')} <span className="mono">{i.place}</span>
            </span>
          </span>
        </label>
      ))}
    </fieldset>
  )
}

function Search({ issue, into, setInto }: { issue: Issue; into: string; setInto: (id: string) => void }) {
  const [text, setText] = useState('')
  const project = issue.id.split('/')[0] ?? ''
  const found = useQuery(ask.mergeTargets(project, text))
  const list = (found.data?.issues ?? []).filter((i) => i.id !== issue.id)
  return (
    <>
      <label className="block">
        <span className="soft mb-1 block">Words of its headline, place or message</span>
        <input className="input input-sm mb-2 w-full" value={text} onChange={(e) => setText(e.target.value)} autoFocus />
      </label>
      {list.length > 0 ? <Choices list={list} into={into} setInto={setInto} /> : <p className="soft">{found.data ? 'No other issue fits.' : 'Looking …'}</p>}
    </>
  )
}
