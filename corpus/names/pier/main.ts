import { seen } from './here'
import make, * as functions from './functions'
import Anchor, * as classes from './classes'
import * as deck from './deck'

async function main(): Promise<void> {
  make(1)
  await functions.everything()
  await classes.everything(Anchor as never)
  try { deck.everything() } catch (e) { if (!String(e).includes('hook') && !String(e).includes('null')) throw e }
  deck.handlers()
}
main().then(() => { console.log(JSON.stringify(seen)) }, (e: unknown) => { console.error(e); process.exitCode = 1 })
