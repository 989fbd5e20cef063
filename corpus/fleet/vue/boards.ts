import { createApp, type Component } from 'vue'
import Board from './Board.vue'
import Clock from './Clock.vue'
const show = (what: Component, props: Record<string, unknown>, click?: string) => () => new Promise<void>((_, fail) => {
  const at = document.body.appendChild(document.createElement('div'))
  const app = createApp(what, props)
  app.config.errorHandler = fail
  app.config.warnHandler = () => undefined
  app.mount(at)
  if (click) setTimeout(() => at.querySelector<HTMLElement>('#' + click)!.click(), 5)
})
export const boards = {
  'board without rows': [show(Board, { rows: null, mode: 'day' })],
  'row without a gate': [show(Board, { rows: [{}], mode: 'day' }), show(Board, { rows: [{ gate: { code: 'a' } }, {}], mode: 'day' })],
  'board at night': [show(Board, { rows: [], mode: 'night' })],
  'chosen without a pick': [show(Board, { rows: [], mode: 'off' }, 'choose'), show(Board, { rows: [], mode: 'day', pick: {} }, 'choose')],
  'clock of no zone': [show(Clock, { zone: 'Moon/Base' }), show(Clock, { zone: 'Nowhere' })],
}
