import { useQuery } from '@tanstack/react-query'
import * as asking from '../api/search.ts'
import { count, counted } from '../core/format.ts'
import { searchCommand, searchRequest } from '../core/list.ts'
import { Chips } from '../search/chips.tsx'
import { FacetsButton, FacetsPanel } from '../search/facets.tsx'
import { Saved } from '../search/saved.tsx'
import { StripControls, TimeStrip } from '../search/strip.tsx'
import { CsvButton, UserList } from '../search/user-list.tsx'
import { useSearch } from '../search/use-search.ts'
import { CopyAs } from '../shared/copy-as.tsx'
import { useTitle } from '../shared/title.ts'

/** The users whom the events hit that fit a search. */
export function UsersPage() {
  const s = useSearch('users')
  const { project } = s.scope
  const got = useQuery(asking.affected(s.scope))
  useTitle(`Users of ${project}`)
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 px-(--edge) py-1.5">
        <h1 className="sr-only">Users of {project}</h1>
        <FacetsButton s={s} />
        {got.data && <p><b className="font-semibold">{counted(got.data.users, 'user')}</b> in {counted(got.data.events, 'event')}; {count(got.data.active)} were seen.</p>}
        <span className="grow" />
        <CsvButton scope={s.scope} />
        <Saved s={s} />
        <StripControls s={s} />
        <CopyAs command={searchCommand('user list', s.scope)} request={searchRequest(location.origin, '/users', s.scope)} />
      </div>
      <Chips s={s} error={got.error} />
      <TimeStrip s={s} />
      <div className="flex items-stretch max-md:flex-col">
        <FacetsPanel s={s} />
        <div className="min-w-0 grow border-y border-base-300 bg-base-100"><UserList scope={s.scope} /></div>
      </div>
    </>
  )
}
