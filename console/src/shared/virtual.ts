import { useWindowVirtualizer } from '@tanstack/react-virtual'
import { useLayoutEffect, useState } from 'react'
import type { RefObject } from 'react'

/** So many rows are drawn at once; of more, those in sight alone. */
const most = 200

/**
 * The rows of a long list that are to be drawn, of rows of one height (pixels), with the
 * room that is left before and after them. list is the element that they stand in.
 */
export function useVisible(count: number, height: number, list: RefObject<HTMLElement | null>): { from: number; to: number; before: number; after: number; show: (row: number) => void } {
  const [top, setTop] = useState(0)
  const there = count > 0
  useLayoutEffect(() => {
    if (list.current) setTop(list.current.getBoundingClientRect().top + scrollY)
  }, [list, there])
  const all = useWindowVirtualizer({ count, estimateSize: () => height, overscan: 20, scrollMargin: top, enabled: count > most })
  if (count <= most) return { from: 0, to: count, before: 0, after: 0, show: (row) => list.current?.children[row]?.scrollIntoView({ block: 'nearest' }) }
  const items = all.getVirtualItems()
  const from = items[0]?.index ?? 0
  const to = (items.at(-1)?.index ?? -1) + 1
  return { from, to, before: from * height, after: (count - to) * height, show: (row) => all.scrollToIndex(row, { align: 'auto' }) }
}
