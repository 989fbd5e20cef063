// Builds one directory with Parcel, by itself: it ends the whole process when
// something in it fails.
//
//   node names/parcel.mjs DIR OUT MINIFY
import { readFileSync, writeFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import { Parcel } from '@parcel/core'

const [dir, out, minify] = process.argv.slice(2)
writeFileSync(join(dir, 'package.json'), JSON.stringify({
  name: 'pier', version: '1.0.0', source: 'pier/main.ts', main: relative(dir, join(out, 'main.js')), dependencies: { react: '*', 'react-dom': '*' },
  targets: { main: { engines: { node: '20' }, context: 'node', outputFormat: 'commonjs', includeNodeModules: false, optimize: minify === 'true', isLibrary: false } },
}))
// It does not read that decorators are switched on: a comment of equal length keeps all places.
const classes = join(dir, 'pier/classes.ts')
writeFileSync(classes, readFileSync(classes, 'utf8').replace('@noted', '/*no*/'))
await new Parcel({ entries: dir, defaultConfig: '@parcel/config-default', shouldDisableCache: true, mode: 'production', defaultTargetOptions: { sourceMaps: true, shouldOptimize: minify === 'true' } }).run()
