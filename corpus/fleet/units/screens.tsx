import { createElement, type ReactElement } from 'react'
import { createRoot } from 'react-dom/client'
import { flushSync } from 'react-dom'

// Each shows something that fails, while it is drawn or when it is clicked.
const shown: Record<string, [ReactElement, string?][]> = {
  'title without a ferry': [[<FerryTitle />], [<p><FerryTitle /></p>]],
  'badge without a ferry': [[<FerryBadge small />], [<FerryBadge small={false} />]],
  'stop without a port': [[<StopList stops={[{} as never]} />], [<StopList stops={[{ port: { name: 'a' } }, { port: null as never }]} />]],
  'tides of no port': [],
  'countdown to no date': [[<Countdown until={7} />], [<Countdown until={'noon'} />]],
  'unknown seat action': [[<SeatPicker kind="sell" />], [<SeatPicker kind="swap" />]],
  'seat taken without a name': [[<SeatPicker kind="take" />]],
  'bought without a booking': [[<BuyButton />, 'buy'], [<BuyButton booking={{} as never} />, 'buy']],
  'shared with nobody': [[<ShareButton />, 'share']],
}
export const screens = Object.fromEntries(Object.entries(shown).map(([bug, list]) => [bug, list.map(([element, click]) => () => new Promise<void>((_, fail) => {
  const at = document.body.appendChild(document.createElement('div'))
  const stop = (e: ErrorEvent) => { e.preventDefault(); removeEventListener('error', stop); fail(e.error) }
  addEventListener('error', stop)
  const root = createRoot(at, { onUncaughtError: fail, onCaughtError: () => undefined })
  flushSync(() => root.render(createElement(Fence, { met: fail, children: element })))
  if (click) setTimeout(() => at.querySelector<HTMLElement>('#' + click)!.click(), 5)
}))]))
