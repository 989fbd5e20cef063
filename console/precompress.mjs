// Writes .br and .gz beside every file of the build that is worth it.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, gzipSync } from 'node:zlib'

const dir = process.argv[2]
for (const name of readdirSync(dir, { recursive: true })) {
  if (!/\.(js|css|html|svg|json)$/.test(name)) continue
  const raw = readFileSync(join(dir, name))
  if (raw.length < 1024) continue
  writeFileSync(join(dir, `${name}.br`), brotliCompressSync(raw))
  writeFileSync(join(dir, `${name}.gz`), gzipSync(raw, { level: 9 }))
}
