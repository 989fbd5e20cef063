import { useEffect, useRef } from 'react'

const off = 'firethorn.keys-off'

/** Single-letter keys can be switched off, for those who speak to their computer. */
export const keysOff = (): boolean => localStorage.getItem(off) === '1'
export const setKeysOff = (v: boolean): void => (v ? localStorage.setItem(off, '1') : localStorage.removeItem(off))

/** Binds keys while the component stands: not while somebody types, not with modifiers, not over a dialog. */
export function useKeys(keys: Record<string, (() => void) | undefined>): void {
  const now = useRef(keys)
  now.current = keys
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return
      const t = e.target as HTMLElement
      if (t.closest('input, textarea, select, dialog, [contenteditable]')) return
      if (e.key === 'Enter' && t.closest('a, button, summary')) return
      if (e.key.length === 1 && keysOff()) return
      const fn = now.current[e.key]
      if (!fn) return
      e.preventDefault()
      setTimeout(fn) // so that the key never lands in a field that the action opens
    }
    addEventListener('keydown', down)
    return () => removeEventListener('keydown', down)
  }, [])
}
