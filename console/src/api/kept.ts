import type { Middleware } from 'openapi-fetch'

const maxAnswers = 200
const maxCharacters = 4_000_000

/**
 * Keeps the last answers in memory by their entity tags, so that the service
 * need not send again what has not changed. They are not in the browser's
 * cache: what people look at must not lie on a disk.
 */
export function answersKept(): Middleware {
  const answers = new Map<string, { tag: string; text: string }>()
  let size = 0
  const drop = (url: string) => {
    size -= answers.get(url)?.text.length ?? 0
    answers.delete(url)
  }
  return {
    onRequest({ request }) {
      const known = request.method === 'GET' ? answers.get(request.url) : undefined
      if (known) request.headers.set('If-None-Match', known.tag)
      return request
    },
    async onResponse({ request, response }) {
      if (request.method !== 'GET') return undefined
      const known = answers.get(request.url)
      if (response.status === 304 && known) return new Response(known.text, { status: 200, headers: { 'Content-Type': 'application/json' } })
      if (response.status === 401) answers.clear() // another person may sign in
      const tag = response.headers.get('ETag')
      if (!tag) return undefined
      const text = await response.text()
      drop(request.url)
      answers.set(request.url, { tag, text })
      size += text.length
      for (const url of answers.keys()) {
        if (answers.size <= maxAnswers && size <= maxCharacters) break
        drop(url)
      }
      return new Response(text, { status: response.status, headers: response.headers })
    },
  }
}
