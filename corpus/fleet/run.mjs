// A second corpus, of another kind than grouping/: a component library, a React
// application, Vue components and a server bundle in TypeScript, and services in
// Python, Ruby, PHP, Java and Go. Three releases, refactored twice between them:
// functions go to files of their own, folders are renamed, some are edited.
// Each release is built by other tools and runs in three browsers and in Node.
//
//   node fleet/run.mjs OUT
//   OUT/events.ndjson     all events, the bug in attributes.bug
//   OUT/again.ndjson      the browsers' again, built by others
//   OUT/seen, OUT/unseen  the names of bugs, parted at random: fix what is wrong
//                         by the first, report both. A half was looked at
//                         first, then half of the rest
//   OUT/maps/<release>    the bundles and their maps; "again/<release>" the others
//   OUT/alone/<release>   the maps alone
import { execFileSync, spawn } from 'node:child_process'
import { createHash, randomUUID } from 'node:crypto'
import { cpSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { dirname, join, relative, resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { builders, vueBuild } from './build.mjs'

const here = dirname(fileURLToPath(import.meta.url)), out = resolve(process.argv[2])
rmSync(out, { recursive: true, force: true })
// Below the corpus, so that packages are found.
const work = join(here, '..', 'build', 'fleet-work')
rmSync(work, { recursive: true, force: true })
const releases = ['1.0.0', '1.1.0', '1.2.0']
const chance = s => Number.parseInt(createHash('sha256').update(s).digest('hex').slice(0, 8), 16)

// The units: each function, class or constant with its domain.
const units = [], outside = {}
for (const file of readdirSync(join(here, 'units'))) {
  if (/^(?:ways|screens|server)\./.test(file)) continue
  const [, ...blocks] = readFileSync(join(here, 'units', file), 'utf8').split(/^\/\/@ ?(\w*)\n/m)
  let domain = ''
  for (let i = 0; i < blocks.length; i += 2) {
    domain = blocks[i] || domain
    const code = blocks[i + 1].replace(/^import .*\n/gm, line => {
      for (const name of line.slice(line.indexOf('{') + 1, line.indexOf('}')).split(',')) outside[name.trim().replace(/^type /, '')] = [name.trim(), /'(.*)'/.exec(line)[1]]
      return ''
    })
    const m = /export (?:async )?(function\*?|class|const|interface) (\w+)/.exec(code)
    if (m) units.push({ domain, kind: m[1], name: m[2], code, tsx: file.endsWith('x') })
  }
}
const place = {
  '1.0.0': u => `src/${u.domain}`,
  '1.1.0': u => u.kind.startsWith('function') && chance(u.name) % 3 === 0 ? `src/${u.domain}/${u.name}` : `src/${u.domain}`,
  '1.2.0': u => `src/features/${u.domain}/${chance(u.name) % 3 === 1 && u.kind.startsWith('function') ? 'parts' : 'index'}`,
}
function code(u, release) {
  if (release === '1.2.0' && u.kind.startsWith('function') && chance(u.name) % 5 === 1) return u.code.replace('{\n', `{\n  if ((globalThis as { loud?: boolean }).loud) console.debug('${u.name}')\n`)
  return u.code
}
function write(release) {
  const dir = join(work, release), files = {}
  for (const u of units) (files[place[release](u) + (u.tsx ? '.tsx' : '.ts')] ??= []).push(u)
  const at = Object.fromEntries(Object.entries(files).flatMap(([f, list]) => list.map(u => [u.name, f])))
  const imports = (text, self) => {
    const from = {}
    const own = new Set(Object.keys(at).filter(n => at[n] === self))
    for (const [name, file] of Object.entries(at)) if (!own.has(name) && new RegExp(`\\b${name}\\b`).test(text)) {
      let path = relative(dirname(self), file).replace(/\.tsx?$/, '')
      if (!path.startsWith('.')) path = './' + path
      ;(from[path] ??= []).push(name)
    }
    for (const [name, [what, path]] of Object.entries(outside)) if (new RegExp(`\\b${name}\\b`).test(text)) (from[path] ??= []).push(what)
    return Object.entries(from).map(([path, names]) => `import { ${names.join(', ')} } from '${path}'\n`).join('')
  }
  const put = (file, text) => { mkdirSync(dirname(join(dir, file)), { recursive: true }); writeFileSync(join(dir, file), text) }
  for (const [file, list] of Object.entries(files)) {
    const still = list.filter(u => !u.kind.startsWith('function')), functions = list.filter(u => u.kind.startsWith('function'))
    if (release !== '1.0.0') functions.reverse()
    const first = release === '1.1.0' ? '// Moved about.\n\n\n' : ''
    const text = [...still, ...functions].map(u => code(u, release)).join('\n')
    put(file, imports(text, file) + first + text)
  }
  for (const [name, file] of [['ways', 'ways.ts'], ['screens', 'screens.tsx'], ['served', 'server.ts']]) {
    const text = readFileSync(join(here, 'units', file), 'utf8'), to = `src/${file}`
    put(to, imports(text, to) + text)
  }
  cpSync(join(here, 'vue'), join(dir, release === '1.2.0' ? 'src/features/boards' : 'src/boards'), { recursive: true })
  put('src/run.ts', readFileSync(join(here, 'harness.ts'), 'utf8'))
  put('src/app.ts', `import { ways } from './ways'\nimport { screens } from './screens'\nimport { run } from './run'\nexport const runAll = () => run({ ...ways, ...screens })\n;(globalThis as any).runAll = [...((globalThis as any).runAll ?? []), runAll]\n`)
  put('src/vue.ts', `import { boards } from '${release === '1.2.0' ? './features/boards/boards' : './boards/boards'}'\nimport { run } from './run'\n;(globalThis as any).runAll = [...((globalThis as any).runAll ?? []), () => run(boards)]\n`)
  put('src/main.ts', `import { ways } from './ways'\nimport { served } from './server'\nimport { run } from './run'\n;(globalThis as any).runAll = [() => run({ ...ways, ...served })]\n`)
  put('package.json', '{"name":"quayside","type":"module"}')
  put('tsconfig.json', JSON.stringify({ compilerOptions: { target: 'es2022', module: 'esnext', moduleResolution: 'bundler', jsx: 'react-jsx', sourceMap: true, useDefineForClassFields: true } }))
  return dir
}

const tidy = m => ({ ...m, sources: m.sources.map(s => s.replace(/^.*?(?=(?:src|node_modules)\/)/, '')), sourceRoot: undefined })
function store(under, name, { code, map }) {
  const called = `${name}-${createHash('sha256').update(code).digest('base64url').slice(0, 8)}.js`
  code = `${code.replace(/\n?\/\/# sourceMappingURL=\S+\s*$/, '')}\n//# sourceMappingURL=${called}.map\n`
  for (const [root, both] of [['maps', true], ['alone', false]]) {
    mkdirSync(join(out, root, under), { recursive: true })
    if (both) writeFileSync(join(out, root, under, called), code)
    writeFileSync(join(out, root, under, called + '.map'), JSON.stringify(tidy(map)))
  }
  return join(out, 'maps', under, called)
}

let bundles, posted
const server = createServer((req, res) => {
  const type = t => res.setHeader('content-type', t)
  if (req.url.startsWith('/assets/')) return type('text/javascript'), res.end(readFileSync(bundles.find(b => b.endsWith(req.url.slice(8)))))
  if (req.url === '/start.js') return type('text/javascript'), res.end(`${bundles.map(b => `await import('/assets/${b.split('/').at(-1)}')`).join('\n')}\nconst all = []\nfor (const run of globalThis.runAll) all.push(...await run())\nawait fetch('/printed', { method: 'POST', body: JSON.stringify(all) })`)
  if (req.url === '/broken.json') return res.end('<html>')
  if (req.url === '/printed') {
    let body = ''
    req.on('data', d => { body += d })
    return req.on('end', () => { res.end(); posted(JSON.parse(body)) })
  }
  if (req.url !== '/') return res.writeHead(req.url.includes('lock') ? 409 : 404), res.end()
  type('text/html')
  res.end('<!doctype html><body><script type="module" src="/start.js"></script>')
}).listen(0, '127.0.0.1')
await new Promise(done => server.on('listening', done))
const base = `http://127.0.0.1:${server.address().port}`
const browsers = {
  chromium: dir => ['chromium', ['--headless', '--no-sandbox', '--disable-gpu', '--disable-background-networking', `--user-data-dir=${dir}`, base]],
  firefox: dir => ['firefox-esr', ['--headless', '--no-remote', '--profile', dir, base]],
  webkit: () => ['xvfb-run', ['-a', '/usr/lib/x86_64-linux-gnu/webkit2gtk-4.1/MiniBrowser', '--private', base]],
}
async function inBrowser(name) {
  const [program, args] = browsers[name](mkdtempSync(join(tmpdir(), 'browser')))
  const child = spawn(program, args, { stdio: 'ignore', detached: true, env: { ...process.env, WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS: '1', HOME: mkdtempSync(join(tmpdir(), 'home')) } })
  const list = await new Promise((done, fail) => { posted = done; setTimeout(() => fail(new Error(`${name} said nothing`)), 120_000).unref() })
  process.kill(-child.pid)
  return list
}
async function inNode() {
  const file = join(out, 'run.mjs')
  writeFileSync(file, `const real = fetch\nglobalThis.fetch = p => real('${base}' + p)\n${bundles.map(b => `await import(${JSON.stringify(pathToFileURL(b).href)})`).join('\n')}\nconst all = []\nfor (const run of globalThis.runAll) all.push(...await run())\nprocess.stdout.write(JSON.stringify(all), () => process.exit(0))`)
  const child = spawn(process.execPath, [file], { stdio: ['ignore', 'pipe', 'inherit'] })
  let text = ''
  for await (const part of child.stdout) text += part
  rmSync(file)
  return JSON.parse(text)
}
const clean = s => s.replaceAll(base, 'https://quayside.example').replace(/file:\/\/\S*?\/run\.mjs/g, 'file:///srv/gangway/run.mjs').replace(/file:\/\/\S*?\/([\w.]+-[\w-]{8}\.js)/g, 'file:///srv/gangway/dist/$1')
function events(list, release, engine, service = 'quayside') {
  for (const r of list) if (r.missed) console.error(`${engine} ${release}: ${r.bug} did not fail`)
  return list.filter(r => !r.missed).map(({ bug, handled, exceptions }) => JSON.stringify({
    id: randomUUID(), time: '2026-11-23T08:00:00Z', handled, exceptions: exceptions.map(x => (x.stack === undefined ? x : { ...x, stack: clean(x.stack) })),
    resource: { 'service.name': service, 'service.version': release }, attributes: { bug, engine },
  }))
}
async function everywhere(under, tool, vue) {
  const all = []
  for (const release of releases) {
    const dir = join(work, release)
    bundles = [store(under(release), 'app', await builders[tool[release]](join(dir, 'src/app.ts'), 'browser')), store(under(release), 'boards', await vueBuild(dir, vue[release]))]
    for (const name of Object.keys(browsers)) all.push(...events(await inBrowser(name), release, name))
    bundles = [store(under(release), 'main', await builders[tool[release]](join(dir, 'src/main.ts'), 'node'))]
    all.push(...events(await inNode(), release, 'node'))
    console.error(`${under(release)} by ${tool[release]}: ${all.length} events`)
  }
  return all
}

const run = (program, args, cwd) => execFileSync(program, args, { encoding: 'utf8', cwd, maxBuffer: 1 << 26, stdio: ['ignore', 'pipe', 'ignore'] }).trim().split('\n')
function services() {
  const all = []
  for (const [i, release] of releases.entries()) {
    const root = ['/srv/bosun', '/home/ci/bosun', '/app/bosun'][i]
    const take = (name, as, moved, more = t => t) => {
      const dir = mkdtempSync(join(tmpdir(), 'service'))
      writeFileSync(join(dir, as), more(readFileSync(join(here, 'services', name), 'utf8').replace(/(#|\/\/)MOVED/, i === 0 ? '' : moved.repeat(i))))
      return dir
    }
    const told = (lines, dir, engine) => all.push(...events(lines.map(l => JSON.parse(l)).map(({ bug, ...x }) => ({ bug, exceptions: [x] })), release, engine, 'bosun').map(e => e.replaceAll(dir, root)))
    let dir = take('crew.py.txt', 'crew.py', '\n\ndef added_later(n): return [n for _ in range(3)]\n')
    told(run('python3', [join(dir, 'crew.py')], dir), dir, 'python')
    dir = take('crew.rb.txt', 'crew.rb', '\n\ndef added_later(n) = [n]\n')
    told(run('ruby', [join(dir, 'crew.rb')], dir), dir, 'ruby')
    dir = take('crew.php.txt', 'crew.php', '\n\n')
    told(run('php', [join(dir, 'crew.php')], dir), dir, 'php')
    dir = take('Fleet.java.txt', 'Fleet.java', '\n\n static Runnable later@ = () -> { Runnable r = () -> {}; r.run(); };\n', t => { let n = 0; return t.replace(/later@/g, () => 'later' + n++) })
    run('javac', ['-d', dir, join(dir, 'Fleet.java')], dir)
    told(run('java', ['-cp', dir, 'Fleet'], dir).map(l => { const [bug, stack] = l.split('\t'); return JSON.stringify({ bug, stack: Buffer.from(stack, 'base64').toString() }) }), dir, 'java')
    dir = take('fleet.go.txt', 'fleet.go', '\n\nfunc addedLater@() { func() { func() {}() }() }\n', t => { let n = 0; return t.replace(/Later@/g, () => 'Later' + n++) })
    told(run('go', ['run', join(dir, 'fleet.go')], dir), dir, 'go')
  }
  return all
}

for (const release of releases) write(release)
const first = [...await everywhere(r => r, { '1.0.0': 'vite', '1.1.0': 'webpack', '1.2.0': 'rollup' }, { '1.0.0': 'oxc', '1.1.0': 'terser', '1.2.0': 'esbuild' }), ...services()]
writeFileSync(join(out, 'events.ndjson'), first.join('\n') + '\n')
const again = await everywhere(r => `again/${r}`, { '1.0.0': 'esbuild', '1.1.0': 'swc', '1.2.0': 'rolldown' }, { '1.0.0': 'terser', '1.1.0': 'esbuild', '1.2.0': 'oxc' })
writeFileSync(join(out, 'again.ndjson'), again.join('\n') + '\n')
const bugs = [...new Set([...first, ...again].map(e => JSON.parse(e).attributes.bug))]
const looked = b => chance('half ' + b) % 2 === 0 || chance('quarter ' + b) % 2 === 0
writeFileSync(join(out, 'seen'), bugs.filter(looked).join('\n') + '\n')
writeFileSync(join(out, 'unseen'), bugs.filter(b => !looked(b)).join('\n') + '\n')
console.log(`${first.length} events, ${again.length} again, of ${bugs.length} bugs`)
process.exit(0)
