export class HttpError extends Error {
  override name = 'HttpError'
  readonly status: number
  constructor(status: number, url: string) {
    super(`${url} answered ${status}`)
    this.status = status
  }
}

export async function getJSON<T>(url: string): Promise<T> {
  const res = await fetch(url)
  if (!res.ok) throw new HttpError(res.status, url)
  return (await res.json()) as T
}
