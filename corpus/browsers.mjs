// Records what browsers print: node browsers.mjs firefox|webkit|chromium
// The page is internal/core/stacktrace/testdata/printed/crew.page.js; what it
// prints lands beside it.
import { spawn } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

const printed = join(dirname(fileURLToPath(import.meta.url)), '../internal/core/stacktrace/testdata/printed')
const browsers = {
  firefox: (url, dir) => ['firefox-esr', ['--headless', '--no-remote', '--profile', dir, url]],
  webkit: (url) => ['xvfb-run', ['-a', '/usr/lib/x86_64-linux-gnu/webkit2gtk-4.1/MiniBrowser', '--private', url]],
  chromium: (url, dir) => ['chromium', ['--headless', '--no-sandbox', '--disable-gpu', `--user-data-dir=${dir}`, url]],
}
const which = process.argv[2]
const server = createServer((req, res) => {
  if (req.url === '/crew.js') return res.setHeader('content-type', 'text/javascript'), res.end(readFileSync(join(printed, 'crew.page.js')))
  if (req.url !== '/printed') return res.setHeader('content-type', 'text/html'), res.end('<!doctype html><script type="module" src="/crew.js"></script>')
  let body = ''
  req.on('data', d => { body += d })
  req.on('end', () => {
    for (const [name, text] of Object.entries(JSON.parse(body))) writeFileSync(join(printed, `crew.page.${which}.${name}.txt`), text.replaceAll(/http:\/\/127\.0\.0\.1:\d+/g, 'https://crew.example').replace(/\n*$/, '\n'))
    res.end()
    child.kill()
    server.close()
    process.exit(0)
  })
}).listen(0, '127.0.0.1')
await new Promise(done => server.on('listening', done))
const [program, args] = browsers[which](`http://127.0.0.1:${server.address().port}/`, mkdtempSync(join(tmpdir(), 'browser')))
const child = spawn(program, args, { stdio: 'ignore', env: { ...process.env, WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS: '1', HOME: mkdtempSync(join(tmpdir(), 'home')) } })
setTimeout(() => { console.error(`${which} printed nothing within a minute`); child.kill(); process.exit(1) }, 60_000)
