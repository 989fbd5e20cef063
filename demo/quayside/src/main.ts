import '../style.css'
import { attributes, note, report, snapshot, start, user } from '@firethorn/client'
import { askForFeedback } from '@firethorn/client/feedback'
import { drawBerths, berthOf } from './berths/map'
import { zoomTo } from './berths/zoom'
import { followShips } from './net/positions'
import { loadDepartures } from './net/departures'
import { restoreFilter } from './search/filter'
import { zoneOf } from './search/harbours'
import { drawTimetable, drawWeek } from './timetable/draw'
import { priceOf } from './timetable/fares'
import { findSailing } from './timetable/sailings'

declare const __RELEASE__: string

// The address may say where reports go, so that one build serves the recording
// and the live demo; then it goes from the address.
function setting(name: string): string {
  const value = new URLSearchParams(location.search).get(name) ?? sessionStorage.getItem(name) ?? ''
  sessionStorage.setItem(name, value)
  return value
}
const server = setting('report-to')
const key = setting('key')
const environment = setting('environment') || 'production'
const passenger = setting('user')
if (setting('afresh')) sessionStorage.clear() // what led up to it is of this page alone
history.replaceState(null, '', location.pathname)

const state = { day: 171, zone: 'C', loaded: false, zoom: 1 }

if (server) start({ server, key, service: 'quayside', release: __RELEASE__, environment })
snapshot(() => state)
attributes({ 'berth.zone': state.zone })
if (passenger) user({ id: passenger })

const app = document.querySelector<HTMLElement>('#app')!

/** What people do here; each ends badly in its own way. */
const doings: [string, string, () => unknown][] = [
  ['new-year', 'Timetable of the last day', () => showDay(366)],
  ['new-year-week', 'Week of the last day', () => drawWeek(app, 362)],
  ['family-fare', 'Fare for a family', () => say(priceOf([{ kind: 'family', count: 5 }]))],
  ['berth-plan', 'Berth plan of zone D', () => drawBerths(app, 'D')],
  ['deep-berth', 'Berth for the Brent Gull', () => say(berthOf({ name: 'Brent Gull', draft: 7.4 }))],
  ['zoom-in', 'Zoom into the harbour', () => zoomTo(state, 64)],
  ['departures', 'Departures of tomorrow', () => loadDepartures('/api/departures?day=tomorrow&session=1')],
  ['saved-filter', 'Saved filter', () => say(restoreFilter('{"from":"Carrow Slip",'))],
  ['sailing', 'Sailing 4711', () => say(findSailing('4711'))],
  ['harbour', 'Berths of Old Quay', () => say(zoneOf('Old Quay'))],
  ['push', 'Tell me of delays', () => Promise.reject('notifications were refused')],
  ['follow', 'Follow the ships', () => followShips(1, (e) => report(e, { attributes: { 'ship.name': 'Eider' } }))],
]

function say(words: unknown): void {
  document.querySelector('#said')!.textContent = String(words)
}

function showDay(day: number): void {
  history.pushState(null, '', `/day/${day}`)
  state.day = day
  state.loaded = false
  drawTimetable(app, day)
  state.loaded = true
}

app.innerHTML = `<h1>Quayside</h1><p>Marrow Sound Ferries, timetable and berths. Release ${__RELEASE__}.</p>
  <div id="doings"></div><p id="said"></p><h2>Timetable</h2><div id="timetable"></div><h2>Berths</h2><svg id="berths" viewBox="0 0 400 100"></svg>`
for (const [id, label, fn] of doings) {
  const b = document.createElement('button')
  b.id = id
  b.textContent = label
  b.addEventListener('click', () => {
    note('app', `asked for: ${label}`, { 'tides.cached': true })
    return fn()
  })
  document.querySelector('#doings')!.append(b)
}
const tell = document.createElement('button')
tell.id = 'tell'
tell.textContent = 'Tell us what went wrong'
tell.addEventListener('click', () => void askForFeedback())
document.querySelector('#said')!.after(tell)
drawTimetable(app, state.day)
drawBerths(app, state.zone)
