/** The list that somebody came from, with its filter, order and search; a tab's own. */
const lists = new Map<string, string>()

export const keepList = (project: string, params: URLSearchParams): void => void lists.set(project, String(params))

/** The address of a project's list as it was seen last. */
export function listOf(project: string): string {
  const query = lists.get(project)
  return `/p/${project}/issues${query ? '?' + query : ''}`
}
