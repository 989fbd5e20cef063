// Plants bugs in a small application, runs two releases of it in three
// browsers and in Node, beside a Go and a Java program, and writes what they
// report: node grouping/run.mjs OUT
//
//   OUT/events.ndjson     all events, the bug in attributes.bug
//   OUT/again.ndjson      the same browsers and releases, minified by another
//   OUT/maps/<release>    the bundles and their maps; "again" the others
import { execFileSync, spawn } from 'node:child_process'
import { createHash, randomUUID } from 'node:crypto'
import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import * as esbuild from 'esbuild'
import { rolldown } from 'rolldown'
import { rollup } from 'rollup'
import { minify as terser } from 'terser'

const here = dirname(fileURLToPath(import.meta.url)), out = resolve(process.argv[2])
rmSync(out, { recursive: true, force: true })
const work = mkdtempSync(join(tmpdir(), 'planted'))

// The second release: the same bugs, everything somewhere else.
for (const release of ['1.0.0', '1.1.0']) {
  const dir = join(work, release, 'src')
  cpSync(join(here, 'app'), dir, { recursive: true })
  if (release === '1.0.0') continue
  for (const file of ['helpers.js', 'timetable.js', 'booking.js']) {
    const [head, ...parts] = readFileSync(join(dir, file), 'utf8').split(/^(?=export )/m)
    const more = Array.from({ length: 7 }, (_, i) => `export function addedLater${i}(n) { return n > ${i} ? addedLater${i}(n - 1) : ${i} }\n`)
    writeFileSync(join(dir, file), `// moved\n\n\n${head}${more.join('')}${parts.reverse().join('\n\n')}`)
  }
}

const tidy = m => ({ ...m, sources: m.sources.map(s => s.replace(/^.*?(src\/)/, '$1')), sourceRoot: undefined })
const builders = {
  async esbuild(input) {
    const r = await esbuild.build({ entryPoints: [input], bundle: true, format: 'esm', minify: true, sourcemap: 'external', outfile: join(work, 'x.js'), write: false })
    return { code: r.outputFiles.find(f => f.path.endsWith('.js')).text, map: JSON.parse(r.outputFiles.find(f => f.path.endsWith('.map')).text) }
  },
  async rolldown(input) {
    const { output: [c] } = await (await rolldown({ input, logLevel: 'silent' })).generate({ format: 'esm', sourcemap: true, minify: true })
    return { code: c.code, map: c.map }
  },
  async terser(input) {
    const { output: [p] } = await (await rollup({ input, onwarn() {} })).generate({ format: 'esm', sourcemap: true })
    const r = await terser(p.code, { module: true, sourceMap: { content: p.map, includeSources: true } })
    return { code: r.code, map: JSON.parse(r.map) }
  },
}
async function build(release, by, under) {
  const { code, map } = await builders[by](join(work, release, 'src/main.js'))
  const name = `app-${createHash('sha256').update(code).digest('base64url').slice(0, 8)}.js`
  const dir = join(out, 'maps', under)
  mkdirSync(dir, { recursive: true })
  writeFileSync(join(dir, name), `${code.replace(/\n?\/\/# sourceMappingURL=\S+\s*$/, '')}\n//# sourceMappingURL=${name}.map\n`)
  writeFileSync(join(dir, name + '.map'), JSON.stringify(tidy({ ...map })))
  return join(dir, name)
}

let bundle, posted
const server = createServer((req, res) => {
  if (req.url.startsWith('/assets/')) return res.setHeader('content-type', 'text/javascript'), res.end(readFileSync(bundle))
  if (req.url === '/start.js') return res.setHeader('content-type', 'text/javascript'), res.end(`import { runAll } from '/assets/${bundle.split('/').at(-1)}'\nawait fetch('/printed', { method: 'POST', body: JSON.stringify(await runAll()) })`)
  if (req.url.startsWith('/missing')) return res.writeHead(404), res.end()
  if (req.url !== '/printed') return res.setHeader('content-type', 'text/html'), res.end('<!doctype html><script type="module" src="/start.js"></script>')
  let body = ''
  req.on('data', d => { body += d })
  req.on('end', () => { res.end(); posted(JSON.parse(body)) })
}).listen(0, '127.0.0.1')
await new Promise(done => server.on('listening', done))
const base = `http://127.0.0.1:${server.address().port}`
const browsers = {
  chromium: dir => ['chromium', ['--headless', '--no-sandbox', '--disable-gpu', `--user-data-dir=${dir}`, base]],
  firefox: dir => ['firefox-esr', ['--headless', '--no-remote', '--profile', dir, base]],
  webkit: () => ['xvfb-run', ['-a', '/usr/lib/x86_64-linux-gnu/webkit2gtk-4.1/MiniBrowser', '--private', base]],
}
async function inBrowser(name) {
  const [program, args] = browsers[name](mkdtempSync(join(tmpdir(), 'browser')))
  const child = spawn(program, args, { stdio: 'ignore', detached: true, env: { ...process.env, WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS: '1', HOME: mkdtempSync(join(tmpdir(), 'home')) } })
  const list = await new Promise(done => { posted = done })
  process.kill(-child.pid)
  return list
}
async function inNode() {
  const file = join(out, 'run.mjs')
  writeFileSync(file, `const real = fetch\nglobalThis.fetch = p => real('${base}' + p)\nconst { runAll } = await import(${JSON.stringify(pathToFileURL(bundle).href)})\nprocess.stdout.write(JSON.stringify(await runAll()))`)
  const child = spawn(process.execPath, [file], { stdio: ['ignore', 'pipe', 'inherit'] })
  let text = ''
  for await (const part of child.stdout) text += part
  rmSync(file)
  return JSON.parse(text)
}
const clean = s => s.replaceAll(base, 'https://quayside.example').replace(/file:\/\/\S*?\/run\.mjs/g, 'file:///srv/quayside/run.mjs').replace(/file:\/\/\S*?\/(app-[\w-]+\.js)/g, 'file:///srv/quayside/dist/$1')
function events(list, release, engine) {
  for (const r of list) if (r.missed) console.error(`${engine} ${release}: ${r.bug} did not fail`)
  return list.filter(r => !r.missed).map(({ bug, exceptions }) => JSON.stringify({
    id: randomUUID(), time: '2026-11-23T08:00:00Z', exceptions: exceptions.map(x => (x.stack === undefined ? x : { ...x, stack: clean(x.stack) })),
    resource: { 'service.name': 'quayside', 'service.version': release }, attributes: { bug, engine },
  }))
}
async function everywhere(under, by) {
  const all = []
  for (const release of ['1.0.0', '1.1.0']) {
    bundle = await build(release, by[release], under(release))
    for (const name of Object.keys(browsers)) all.push(...events(await inBrowser(name), release, name))
    all.push(...events(await inNode(), release, 'node'))
  }
  return all
}
function others() {
  const all = []
  for (const release of ['1.0.0', '1.1.0']) {
    const dir = mkdtempSync(join(work, 'go')), moved = release === '1.0.0' ? '' : '// moved\n\n\nfunc addedLater() { func() { func() {}() }() }\n'
    writeFileSync(join(dir, 'crew.go'), readFileSync(join(here, 'crew.go.txt'), 'utf8').replace('//MOVED', moved).replace('//CLOSURE', moved ? 'func() {}()' : ''))
    for (const l of execFileSync('go', ['run', join(dir, 'crew.go')], { encoding: 'utf8' }).trim().split('\n')) all.push(...events([JSON.parse(l)], release, 'go').map(e => e.replaceAll(dir, release === '1.0.0' ? '/srv/bosun' : '/home/ci/bosun')))
    writeFileSync(join(dir, 'Crew.java'), readFileSync(join(here, 'Crew.java.txt'), 'utf8').replace('//MOVED', moved && '\n\n    static Runnable later = () -> { Runnable r = () -> {}; r.run(); };\n'))
    execFileSync('javac', ['-d', dir, join(dir, 'Crew.java')])
    for (const l of execFileSync('java', ['-cp', dir, 'Crew'], { encoding: 'utf8' }).trim().split('\n')) {
      const [bug, type, message, stack] = l.split('\t')
      all.push(...events([{ bug, exceptions: [{ type, message: Buffer.from(message, 'base64').toString(), stack: Buffer.from(stack, 'base64').toString() }] }], release, 'java'))
    }
  }
  return all
}
const first = [...await everywhere(r => r, { '1.0.0': 'esbuild', '1.1.0': 'rolldown' }), ...others()]
writeFileSync(join(out, 'events.ndjson'), first.join('\n') + '\n')
const again = await everywhere(r => `again/${r}`, { '1.0.0': 'terser', '1.1.0': 'terser' })
writeFileSync(join(out, 'again.ndjson'), again.join('\n') + '\n')
console.log(`${first.length} events, ${again.length} again`)
rmSync(work, { recursive: true, force: true })
process.exit(0)
