import { useEffect, useId, useRef, useState } from 'react'
import type { KeyboardEvent, RefObject } from 'react'
import * as asking from '../api/search.ts'
import type { Offer } from '../api/search.ts'
import { count } from '../core/format.ts'
import { onlyWords } from '../core/search.ts'

/** How long the field waits for the next letter (milliseconds): before it offers something, and before it searches for words. */
const pause = { offers: 120, words: 300 }

interface Offered {
  asked: string // the text that it completes, of which it replaces from..to
  from: number
  to: number
  list: Offer[]
  at: number // the one that is chosen; -1: none
}

/** What is left of an offer now that the text is another one: the range follows, and what no longer matches goes. */
function follow(o: Offered, text: string): Offered | undefined {
  if (text === o.asked) return o // the service knows best what completes it
  const [was, is] = [[...o.asked], [...text]]
  const to = is.length - (was.length - o.to)
  const [before, after] = [was.slice(0, o.from).join(''), was.slice(o.to).join('')]
  if (to < o.from || !text.startsWith(before) || !text.endsWith(after)) return undefined
  const word = is.slice(o.from, to).join('').toLowerCase()
  const list = o.list.filter((x) => x.text.toLowerCase().includes(word))
  const chosen = o.list[o.at]
  return list.length > 0 ? { asked: text, from: o.from, to, list, at: chosen ? list.indexOf(chosen) : -1 } : undefined
}

/**
 * The search field. It offers names and values while somebody types; Enter searches,
 * and words alone are searched for by themselves where now is a list in sight.
 */
export function SearchField({ project, now, live, label, find, field }: { project: string; now: string; live: boolean; label: string; find: (search: string, replace: boolean) => void; field: RefObject<HTMLInputElement | null> }) {
  const [offered, setOffered] = useState<Offered>()
  const id = useId()
  const timers = useRef<{ offers?: ReturnType<typeof setTimeout>; words?: ReturnType<typeof setTimeout> }>({})
  const asked = useRef<AbortController>(undefined)
  const stop = () => {
    clearTimeout(timers.current.offers)
    clearTimeout(timers.current.words)
    asked.current?.abort()
  }
  useEffect(() => stop, [])
  useEffect(() => { // another address, or the search was changed elsewhere; what is being typed stays
    if (field.current && document.activeElement !== field.current) field.current.value = now
  }, [now, field])
  const value = () => field.current?.value ?? ''
  const go = (replace: boolean) => {
    stop()
    const search = value().trim()
    if (search !== now || !live) find(search, replace)
  }
  const offer = () => {
    clearTimeout(timers.current.offers)
    timers.current.offers = setTimeout(() => {
      asked.current?.abort()
      const mine = (asked.current = new AbortController())
      const text = value()
      const at = [...text.slice(0, field.current?.selectionStart ?? text.length)].length
      asking.complete(project, text, at, mine.signal).then(
        (c) => {
          if (mine.signal.aborted) return
          const some = c.offers.length > 0 && document.activeElement === field.current
          setOffered(some ? follow({ asked: text, from: c.from, to: c.to, list: c.offers, at: -1 }, value()) : undefined)
        },
        () => mine.signal.aborted || setOffered(undefined), // what cannot be completed can still be searched for; a newer question leaves the list until its answer comes
      )
    }, pause.offers)
  }
  const typed = () => {
    setOffered((o) => o && follow(o, value())) // until the answer comes
    offer()
    clearTimeout(timers.current.words)
    if (live && onlyWords(value())) timers.current.words = setTimeout(() => find(value().trim(), true), pause.words)
  }
  const take = (o: Offer) => {
    if (!field.current || !offered) return
    stop() // neither an answer to what was typed before, nor a search for it
    const chars = [...value()]
    const before = chars.slice(0, offered.from).join('')
    const name = o.text.endsWith(':')
    field.current.value = before + o.text + (name ? '' : ' ') + chars.slice(offered.to).join('').trimStart()
    const caret = before.length + o.text.length + (name ? 0 : 1)
    field.current.setSelectionRange(caret, caret)
    setOffered(undefined)
    if (name) offer()
  }
  const press = (e: KeyboardEvent) => {
    if (!offered) return
    const n = offered.list.length
    const to = { ArrowDown: offered.at + 1, ArrowUp: offered.at - 1 }[e.key]
    const chosen = offered.list[e.key === 'Tab' ? Math.max(0, offered.at) : offered.at]
    if (to !== undefined) setOffered({ ...offered, at: ((to + 1 + n + 1) % (n + 1)) - 1 })
    else if (e.key === 'Escape') setOffered(undefined)
    else if ((e.key === 'Enter' || (e.key === 'Tab' && !e.shiftKey)) && chosen) take(chosen)
    else return
    e.preventDefault()
  }
  return (
    <form
      role="search"
      className="relative max-w-xl grow max-md:order-last max-md:basis-full"
      onSubmit={(e) => {
        e.preventDefault()
        setOffered(undefined)
        field.current?.blur()
        go(false)
      }}
    >
      <label className="input input-sm w-full">
        <input
          ref={field} type="search" defaultValue={now} placeholder={label} aria-label={label} maxLength={10_000} autoComplete="off" spellCheck={false} dir="auto"
          role="combobox" aria-expanded={offered !== undefined} aria-controls={`${id}-offers`} aria-autocomplete="list" aria-activedescendant={offered && offered.at >= 0 ? `${id}-${offered.at}` : undefined}
          onChange={typed} onKeyDown={press} onFocus={() => value() && offer()} onBlur={() => setOffered(undefined)}
        />
        <kbd className="kbd kbd-xs" aria-hidden="true">/</kbd>
      </label>
      <ul id={`${id}-offers`} role="listbox" aria-label="What can be written here" hidden={!offered} className="panel absolute inset-x-0 top-full z-30 mt-1 max-h-80 overflow-y-auto py-1">
        {offered?.list.map((o, i) => (
          <li key={o.text} id={`${id}-${i}`} role="option" aria-selected={i === offered.at} className={`flex cursor-pointer gap-3 px-3 py-0.5 ${i === offered.at ? 'bg-primary text-primary-content' : 'hover:bg-base-200'}`} onMouseDown={(e) => { e.preventDefault(); take(o) }}>
            <span className="mono min-w-0 truncate" dir="auto">{o.text}</span>
            {o.events !== undefined && <span className="ml-auto shrink-0">{count(o.events)}</span>}
          </li>
        ))}
      </ul>
    </form>
  )
}
