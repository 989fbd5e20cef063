// Writes the versions of real packages with the days they were published on:
//
//   node releases/lists.mjs OUT.json
//
// { "npm react": [["18.2.0", "2022-06-14T…"], …], "go github.com/…": […] }
import { spawnSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'

const npm = ['react', 'typescript', 'vite', 'esbuild', 'next', 'express', 'webpack', 'rxjs', '@babel/core', '@angular/core', 'eslint', 'svelte', 'vue', 'undici', 'node-sass']
const modules = ['golang.org/x/mod', 'github.com/go-chi/chi/v5', 'github.com/urfave/cli/v3', 'github.com/urfave/cli', 'google.golang.org/grpc', 'github.com/klauspost/compress', 'github.com/docker/docker', 'go.uber.org/zap', 'github.com/spf13/cobra',
  'github.com/pressly/goose/v3', 'github.com/go-sql-driver/mysql', 'k8s.io/client-go', 'github.com/gin-gonic/gin', 'github.com/evanw/esbuild', 'modernc.org/sqlite']
const run = (...args) => {
  const r = spawnSync(args[0], args.slice(1), { encoding: 'utf8', maxBuffer: 1 << 28 })
  if (r.status !== 0) throw new Error(`${args.join(' ')}: ${r.stderr}`)
  return r.stdout
}
const most = 40
/** Some of a list, spread over it, the newest included. */
const spread = list => list.filter((_, i) => list.length <= most || Math.floor((i * most) / list.length) !== Math.floor(((i - 1) * most) / list.length))

const out = {}
for (const name of npm) {
  try {
    const times = JSON.parse(run('npm', 'view', name, 'time', '--json'))
    out[`npm ${name}`] = spread(Object.entries(times).filter(([v]) => v !== 'created' && v !== 'modified').sort((a, b) => (a[1] < b[1] ? -1 : 1)))
  } catch (e) { console.error(String(e.message).slice(0, 200)) }
}
for (const name of modules) {
  try {
    const versions = spread(run('go', 'list', '-m', '-versions', name).trim().split(' ').slice(1))
    const list = run('go', 'list', '-m', '-json=Version,Time', ...versions.map(v => `${name}@${v}`)).split(/\n(?=\{)/).map(s => JSON.parse(s))
    out[`go ${name}`] = list.map(m => [m.Version, m.Time]).sort((a, b) => (a[1] < b[1] ? -1 : 1))
  } catch (e) { console.error(String(e.message).slice(0, 200)) }
}
writeFileSync(process.argv[2], '{\n' + Object.entries(out).map(([k, v]) => `${JSON.stringify(k)}: ${JSON.stringify(v)}`).join(',\n') + '\n}\n')
console.log(Object.entries(out).map(([k, v]) => `${k} ${v.length}`).join('\n'))
