import { useInfiniteQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import * as asking from '../api/search.ts'
import { userAt } from '../core/address.ts'
import { count, counted } from '../core/format.ts'
import type { Scope } from '../core/list.ts'
import { allNames, csv, nameOf } from '../core/people.ts'
import { Table } from '../shared/page.tsx'
import { Ago, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** The users of the events that fit, those with most events first. */
export function UserList({ scope, limit = 50, more = true }: { scope: Scope; limit?: number; more?: boolean }) {
  const got = useInfiniteQuery(asking.users(scope, limit))
  const list = got.data?.pages.flatMap((p) => p.users) ?? []
  if (got.error && !got.data) return <Failed error={got.error} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  if (list.length === 0) return <p className="soft px-3 py-2">No user matches: none of these events names one, or there was no event in this time.</p>
  return (
    <>
      <Table label="Users" columns={['User', { name: 'Events', right: true }, 'First seen', 'Last seen']}>
        {list.map((u, i) => (
          <tr key={i}>
            <td className="name">{nameOf(u) ? <Link className="link-hover font-semibold" to={userAt(scope.project, nameOf(u))}>{allNames(u)}</Link> : <span className="soft">no name is kept</span>}</td>
            <td className="text-right">{count(u.events)}</td>
            <td className="whitespace-nowrap"><Ago at={u.first} stop={false} /></td>
            <td className="whitespace-nowrap"><Ago at={u.last} stop={false} /></td>
          </tr>
        ))}
      </Table>
      {more && got.hasNextPage && <button className="btn btn-ghost btn-sm m-1 font-normal" disabled={got.isFetchingNextPage} onClick={() => void got.fetchNextPage()}>Load more of {counted(got.data.pages[0]?.total ?? 0, 'user')}</button>}
    </>
  )
}

/** How many users a file takes; the command line writes all. */
const mostOfFile = 20_000

/** Saves the users that fit as a file. */
export function CsvButton({ scope }: { scope: Scope }) {
  const [read, setRead] = useState<number>()
  const say = useSay()
  const save = async () => {
    const all: asking.Somebody[] = []
    let cursor: string | undefined
    do {
      const page = await asking.usersPage(scope, cursor, 1000)
      all.push(...page.users)
      setRead(all.length)
      cursor = page.next
    } while (cursor && all.length < mostOfFile)
    const link = document.createElement('a')
    link.href = URL.createObjectURL(new Blob([csv(all)], { type: 'text/csv' }))
    link.download = `users-${scope.project}${scope.issue ? `-${scope.issue}` : ''}.csv`
    link.click()
    URL.revokeObjectURL(link.href)
    if (cursor) say(`The file holds the first ${count(all.length)} users. All: firethorn user list --format csv`)
  }
  return (
    <button className="btn btn-ghost btn-sm font-normal" disabled={read !== undefined} onClick={() => void save().catch((e: Error) => say(e.message, true)).finally(() => setRead(undefined))}>
      {read === undefined ? 'Save as CSV' : `${count(read)} users read …`}
    </button>
  )
}
