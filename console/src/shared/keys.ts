import { useEffect, useRef } from 'react'
import { bindings } from '../core/keys.ts'
import type { Does, Place } from '../core/keys.ts'

const off = 'firethorn.keys-off'

/** Single-letter keys can be switched off, for those who speak to their computer. */
export const keysOff = (): boolean => localStorage.getItem(off) === '1'
export const setKeysOff = (v: boolean): void => (v ? localStorage.setItem(off, '1') : localStorage.removeItem(off))

const moving = ['j', 'k', 'ArrowDown', 'ArrowUp']

/** Where keys are typed and not pressed; a box that is ticked is no such place. */
const typing = 'input:not([type=checkbox], [type=radio], [type=button]), textarea, select, dialog, [contenteditable]'

/** Binds the keys of a place while the component stands: not while somebody types, not with modifiers, not over a dialog. */
export function useKeys<P extends Place>(place: P, does: Does<P>): void {
  const now = useRef<Record<string, (() => void) | undefined>>({})
  now.current = bindings(place, does)
  useEffect(() => {
    let held = '' // the key that was acted on, until it is let go
    const down = (e: KeyboardEvent) => {
      if (!e.repeat) held = ''
      if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return
      const t = e.target as HTMLElement
      if (t.closest(typing)) return
      if (e.key === 'Enter' && t.closest('a, button, summary')) return
      if (e.key.length === 1 && keysOff()) return
      const fn = now.current[e.key]
      if (!fn) return
      e.preventDefault()
      // A key that is held goes on moving, but decides once: the next issue is another one.
      if (e.repeat && !moving.includes(e.key)) return
      held = e.key
      fn()
    }
    // A key that opens a field must not land in it: neither when its character
    // comes late nor when it is held and repeats.
    const typed = (e: KeyboardEvent) => {
      if (held && e.key === held) e.preventDefault()
    }
    const up = () => {
      held = ''
    }
    addEventListener('keydown', down)
    addEventListener('keypress', typed, true)
    addEventListener('keyup', up)
    return () => {
      removeEventListener('keydown', down)
      removeEventListener('keypress', typed, true)
      removeEventListener('keyup', up)
    }
  }, [])
}
