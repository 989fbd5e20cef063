import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as ask from '../api/queries.ts'

const every = 60_000 // ms between two looks

/** How many notices wait, as a link; nothing for tokens that belong to nobody. */
export function NoticesLink() {
  const got = useQuery({ ...ask.noticesWaiting(), refetchInterval: every })
  if (!got.data) return null
  const n = got.data.waiting
  return (
    <Link to="/notices" className="btn btn-ghost btn-sm font-normal max-md:px-2">
      Notices{n > 0 && <span className="rounded-full bg-primary px-1.5 text-[.85rem] leading-5 text-primary-content">{n}</span>}
    </Link>
  )
}
