import { createSSRApp } from 'vue'
import { renderToString } from 'vue/server-renderer'
import { render } from 'svelte/server'
import Deck from './Deck.vue'
import Quay from './Quay.svelte'
import { seen } from './here'

async function main(): Promise<void> {
  await renderToString(createSSRApp(Deck))
  await Promise.resolve(render(Quay, {}).body)
  await null
}
main().then(() => { console.log(JSON.stringify(seen)) }, (e: unknown) => { console.error(e); process.exitCode = 1 })
