//@ network
export class AnswerError extends Error {
  constructor(readonly status: number, readonly path: string) { super(`${path} answered ${status}`); this.name = 'AnswerError' }
}
//@
export async function ask<T>(path: string): Promise<T> {
  const answer = await fetch(path)
  if (!answer.ok) throw new AnswerError(answer.status, path)
  return await answer.json() as T
}
//@
export async function askTwice<T>(path: string): Promise<T> {
  try {
    return await ask<T>(path)
  } catch {
    return await ask<T>(path)
  }
}
//@
export async function loadBerth(id: string) {
  const berth = await ask<{ name: string }>(`/v2/berths/${id}`)
  return berth.name
}
//@
export async function lockBerth(id: string) {
  await ask(`/v2/berths/${id}/lock`)
  return true
}
//@
export async function loadCrew(ship: string) {
  return await askTwice(`/crews/${ship}?full=1`)
}
//@
export async function loadWeather(station: number) {
  try {
    return await ask(`/weather/${station}`)
  } catch (e) {
    throw new Error(`no weather for station ${station}`, { cause: e })
  }
}
//@
export async function loadPrices() {
  const answer = await fetch('/broken.json')
  return JSON.parse(await answer.text()) as number[]
}
//@
export async function saveNotice(notice: { text: string }) {
  try {
    return await ask(`/notices?text=${encodeURIComponent(notice.text.trim())}`)
  } catch (e) {
    reported(e)
    return null
  }
}
//@
export async function firstOf(paths: string[]) {
  return await Promise.any(paths.map(p => ask(p)))
}
