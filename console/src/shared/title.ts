import { useEffect } from 'react'

/** Names the page, for the tab and for screen readers: the most special word first. Without a word the name stays. */
export function useTitle(...words: (string | undefined)[]): void {
  const named = words.filter(Boolean)
  const title = named.length ? [...named, 'Firethorn'].join(' · ') : ''
  useEffect(() => {
    if (title) document.title = title
  }, [title])
}
