import { start } from '@firethorn/client'
import { depthAt } from './depths.js'

start({ server: __SERVER__, key: __KEY__, service: 'piers', release: __RELEASE__ })
setTimeout(function sound() {
  document.title = String(depthAt({ name: 'north' }))
}, 50)
