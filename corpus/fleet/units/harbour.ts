//@ harbour
import { readFile } from 'node:fs/promises'
import { createServer } from 'node:http'
//@
export interface Context { path: string; query: URLSearchParams; body?: string }
//@
export class HttpProblem extends Error {
  constructor(readonly status: number, title: string) { super(title); this.name = 'HttpProblem' }
}
//@
export function notFound(what: string) { return new HttpProblem(404, `${what} was not found`) }
//@
export const routes: Record<string, (c: Context) => unknown> = {
  '/ships': c => shipOf(c.query.get('name')!),
  '/manifest': c => manifest(c.body!),
  '/loads': c => loadOf(c.query.get('ship')!),
  '/keys': c => keyOf(c.query.get('id')!),
}
//@
export async function dispatch(path: string, query: string, body?: string) {
  const route = routes[path]
  if (!route) throw notFound(path)
  return await route({ path, query: new URLSearchParams(query), body })
}
//@
export function shipOf(name: string) {
  const ships: Record<string, { hold: { tons: number } }> = { Eider: { hold: { tons: 9 } }, Gull: {} as never }
  if (!ships[name]) throw notFound(`ship ${name}`)
  return ships[name].hold.tons
}
//@
export function manifest(body: string) {
  const list = JSON.parse(body) as { items: { kg: number }[] }
  return list.items.reduce((a, x) => a + x.kg, 0)
}
//@
export async function loadOf(ship: string) {
  const text = await readFile(`/nowhere/${ship}/load.txt`, 'utf8')
  return text.length
}
//@
export async function keyOf(id: string) {
  try {
    return await readFile(`/nowhere/keys/${id}.pem`, 'utf8')
  } catch (e) {
    throw new HttpProblem(500, `key ${id} cannot be read`)
  }
}
//@
export async function listen(port: number) {
  const server = createServer()
  await new Promise<void>((done, fail) => { server.once('error', fail); server.listen(port, '203.0.113.7', done) })
  return server
}
//@
export function limits(n: number) {
  return Buffer.alloc(n)
}
//@
export async function worker(jobs: (() => Promise<number>)[]) {
  const done = await Promise.all(jobs.map(async (job, i) => {
    const n = await job()
    if (n < 0) throw new RangeError(`job ${i} gave ${n}`)
    return n
  }))
  return done.length
}
//@
export function later(ms: number, f: () => void) {
  return new Promise<void>((done, fail) => {
    setTimeout(() => { try { f(); done() } catch (e) { fail(e) } }, ms)
  })
}
//@
export async function moorLater(ship: { moor?: () => void }) {
  await later(1, () => ship.moor!())
}
//@
export async function sailLater(ship: { name?: string }) {
  await later(1, () => { ship.name!.trim() })
}
