import { useState } from 'react'
import type { ReactNode } from 'react'
import { few, most } from '../core/few.ts'
import { count } from '../core/format.ts'

/** From so many rows on there is a field to look for them. */
const many = 20

/** The first rows of a long list, and a field to look for the others. */
export function useFew<T>(list: readonly T[], what: string, textOf: (row: T) => string): { shown: T[]; field: ReactNode; rest: ReactNode } {
  const [look, setLook] = useState('')
  const { shown, fit } = few(list.map(textOf), look)
  return {
    shown: shown.flatMap((i) => list[i] ?? []),
    field: list.length > many && <input type="search" className="input input-sm w-48" placeholder={`Find ${what}`} aria-label={`Find ${what}`} value={look} onChange={(e) => setLook(e.target.value)} />,
    rest: fit === 0 ? <p className="soft px-3 pb-2">Nobody fits.</p> : fit > most && <p className="soft px-3 py-2" role="status">{count(most)} of {count(fit)} are shown. Look for a name to see others.</p>,
  }
}
