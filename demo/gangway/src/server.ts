import http from 'node:http'
import { attributes, start, user, wrap } from '@firethorn/client'
import { boardingRate, manifestOf } from './manifest'
import { readTicket, scan } from './tickets'
import { openGates } from './gates'
import { weatherAt } from './weather'
import { findBerth } from './berths'
import { report } from '@firethorn/client'

declare const __RELEASE__: string

if (process.env.REPORT_TO) {
  start({ server: process.env.REPORT_TO, key: process.env.REPORT_KEY ?? '', service: 'gangway', release: __RELEASE__, environment: process.env.ENVIRONMENT ?? 'production' })
}

const routes: Record<string, (url: URL) => unknown> = {
  '/scan': (url) => scan(url.searchParams.get('ticket') ?? ''),
  '/ticket': (url) => readTicket(url.searchParams.get('code') ?? ''),
  '/manifest': (url) => manifestOf(url.searchParams.get('sailing') ?? ''),
  '/rate': (url) => boardingRate(Number(url.searchParams.get('boarded')), BigInt(url.searchParams.get('minutes') ?? '1')),
  '/gates': () => openGates(['north', 'south', 'ramp']),
  '/weather': () => weatherAt('Tern Island'),
  '/berth': (url) => findBerth(url.searchParams.get('ship') ?? ''),
}

const page = (): string =>
  `<!doctype html><meta charset="utf-8"><title>Gangway</title><h1>Gangway ${__RELEASE__}</h1><p>Gate scanners of Marrow Sound Ferries. Each of these ends badly:</p><ul>${[
    '/scan?ticket=MSF-0000', '/ticket?code=not-a-ticket', '/manifest?sailing=1200', '/rate?boarded=90&minutes=0', '/gates', '/weather', '/berth?ship=Eider',
  ].map((u) => `<li><a href="${u}">${u}</a></li>`).join('')}</ul>`

const handler = wrap(async (req, res) => {
  const url = new URL(req.url ?? '/', 'http://gangway.example')
  const gate = req.headers['x-gate-user']
  if (gate) user({ id: String(gate) })
  attributes({ 'gate.name': url.searchParams.get('gate') ?? 'north', 'http.route': url.pathname })
  const route = routes[url.pathname]
  if (!route) {
    res.writeHead(url.pathname === '/' ? 200 : 404, { 'Content-Type': 'text/html' })
    res.end(page())
    return
  }
  const answer = await route(url)
  res.writeHead(200, { 'Content-Type': 'application/json' })
  res.end(JSON.stringify(answer))
})

const server = http.createServer((req, res) => {
  Promise.resolve(handler(req, res)).catch((error: unknown) => {
    res.writeHead(500, { 'Content-Type': 'text/plain' })
    res.end(`the gate stays shut: ${error instanceof Error ? error.message : String(error)}\n`)
  })
})

// Once a minute the gates are asked whether they are well; what fails is
// reported and tried again.
setInterval(() => {
  try {
    scan('MSF-SELF-TEST')
  } catch (e) {
    report(e, { severity: 'warn' })
  }
}, 60_000).unref()

server.listen(Number(process.env.PORT ?? 7422), '127.0.0.1', () => {
  const at = server.address()
  console.log(`gangway listens on ${typeof at === 'object' && at ? at.port : at}`)
})
