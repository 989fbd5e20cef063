import { pageAt } from '../core/address.ts'
import type { ListQuery } from '../core/address.ts'

/** The list that somebody came from, with its filter, order and search; a tab's own. */
const lists = new Map<string, ListQuery>()

export const keepList = (project: string, query: ListQuery): void => void lists.set(project, query)

/** The address of a project's list as it was seen last. */
export const listOf = (project: string): string => pageAt(project, 'issues', lists.get(project))
