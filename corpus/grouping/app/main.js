import * as b from './booking.js'
import * as t from './timetable.js'

// The bugs, each with every way in which it is met here.
const handlers = {}
b.setUp((name, f) => { handlers[name] = f })
const bugs = {
  'tide beyond the year': [() => t.tideAt(9, 1), () => t.drawDay(9), () => t.drawWeek(8), () => t.nextStill(9, 0)],
  'tide hour beyond the day': [() => t.drawDay(-1) && 0].slice(1),
  'fare of nobody': [() => t.fareOf('dog'), () => ['dog'].map(k => t.fareOf(k))],
  'fares are no JSON': [() => t.parseFares('<html>'), () => t.parseFares('{"a":')],
  'digits of a fare': [() => t.decimals(1, 101), () => t.decimals(1, 200)],
  'sailings do not load': [() => t.loadSailings(), async () => { await t.loadSailings() }],
  'notices do not load': [() => t.loadNotices()],
  'draft of a ship': [() => t.berthFor({ draft: 7 }), () => t.berthFor({ draft: 12 })],
  'hands of a ship': [() => t.crewFor({ crew: 1 })],
  'unknown port': [() => t.portOf('Kell'), () => t.portOf('Ost')],
  'unknown ship': [() => t.shipOf('Gull'), () => t.shipOf('Tern')],
  'unknown pier': [() => t.pierOf('South')],
  'unknown gate': [() => t.gateOf('Z')],
  'first of an empty board': [() => new t.Board().first],
  'title that is none': [() => { new t.Board().title = 7 }],
  'board is full': [() => t.Board.of([1, 2, 3]), () => new t.Board().add(1).add(2).add(3)],
  'board without a thing': [() => new t.Board().show()],
  'pages of nothing': [() => [...new t.Board().pages()]],
  'round without end': [() => t.round(0)],
  'ping without end': [() => t.ping(0), () => t.pong(0)],
  'card refused': [() => b.pay({})],
  'too many seats': [() => b.reserve(10), () => b.reserve(99)],
  'no such booking': [() => b.cancel(-1), () => b.cancel(-20)],
  'ticket unreadable': [() => b.readTicket('%'), () => b.wrapTicket('%')],
  'name that is not there': [() => b.bare()],
  'sum of two kinds': [() => b.total([1])],
  'seat map of a wrong size': [() => b.seatMap(-1)],
  'age of nobody': [() => b.check.age({})],
  'name of nobody': [() => b.check.name({}), () => b.check.name({ name: {} })],
  'till is closed': [() => b.settle()],
  'queue is closed': [() => b.queue(), () => Promise.all([b.queue()])],
  'gate opens without one': [() => handlers.open({}), () => b.onGate(handlers.open)],
  'gate closes without one': [() => handlers.close({})],
  'text is thrown': [() => b.thrownText()],
  'refused promise': [() => b.refuse()],
  'not found here': [() => b.sameWordsHere(0)],
  'not found there': [() => b.sameWordsThere(0)],
  'frozen list': [() => b.fixed()],
}

function told(e) {
  const list = []
  for (let x = e, parent = null; x !== undefined && x !== null && list.length < 5; x = x.cause) {
    if (!(x instanceof Error)) { list.push({ message: String(x), thrown: typeof x }); break }
    list.push({ type: x.name, message: x.message, stack: x.stack ?? '', ...(parent === null ? {} : { parent, relation: 'cause' }) })
    parent = list.length - 1
  }
  return list
}
export async function runAll() {
  const out = []
  for (const [bug, ways] of Object.entries(bugs)) {
    for (const way of ways) {
      try { await way(); out.push({ bug, missed: true }) } catch (e) { out.push({ bug, exceptions: told(e) }) }
    }
  }
  return out
}
