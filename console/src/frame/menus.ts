import { useEffect } from 'react'
import { useLocation } from 'react-router'

/** Closes open menus when another page opens, something else is clicked, or Esc is pressed. */
export function useMenusThatClose(): void {
  const { pathname, search } = useLocation()
  const close = (but?: EventTarget | null) => {
    for (const menu of document.querySelectorAll<HTMLDetailsElement>('details.dropdown[open]')) if (!(but instanceof Node && menu.contains(but))) menu.open = false
  }
  useEffect(() => close(), [pathname, search])
  useEffect(() => {
    const clicked = (e: MouseEvent) => close(e.target)
    const pressed = (e: KeyboardEvent) => {
      if (e.key !== 'Escape' || !document.querySelector('details.dropdown[open]')) return
      e.preventDefault() // the menu alone
      close()
    }
    document.addEventListener('click', clicked)
    document.addEventListener('keydown', pressed, true)
    return () => {
      document.removeEventListener('click', clicked)
      document.removeEventListener('keydown', pressed, true)
    }
  }, [])
}
