// Every package that an entry of the lock names must have an entry itself:
// npm install forgives what npm ci then refuses.
import { readFileSync } from 'node:fs'

const { packages } = JSON.parse(readFileSync('package-lock.json', 'utf8'))
const keys = Object.keys(packages)
const missing = []
for (const [at, p] of Object.entries(packages)) {
  for (const name of Object.keys({ ...p.dependencies, ...p.optionalDependencies })) {
    if (!keys.some((k) => k === `node_modules/${name}` || k.endsWith(`/node_modules/${name}`))) missing.push(`${at || 'root'} needs ${name}`)
  }
}
if (missing.length) {
  console.error('package-lock.json is not whole:\n' + missing.join('\n'))
  process.exit(1)
}
