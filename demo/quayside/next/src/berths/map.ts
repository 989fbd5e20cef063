import { assert } from '../util/assert'

export interface Ship {
  name: string
  draft: number
}

interface Berth {
  id: string
  depth: number
  taken: boolean
}

const zones: Record<string, Berth[]> = {
  A: [{ id: 'A1', depth: 3.1, taken: false }],
  B: [{ id: 'B1', depth: 4.2, taken: true }, { id: 'B2', depth: 4.2, taken: false }],
  C: [{ id: 'C1', depth: 5.5, taken: false }, { id: 'C2', depth: 6.1, taken: true }, { id: 'C3', depth: 6.1, taken: false }],
}

/** Names the zones that have a plan. */
export function zoneNames(): string[] {
  return Object.keys(zones).sort()
}

/** Draws the berths of a zone, and how many are free. */
export function drawBerths(app: HTMLElement, zone: string): void {
  const svg = app.querySelector('#berths')!
  svg.innerHTML = placeBerths(zone) + `<text x="20" y="90">${freeIn(zone)} free of ${zoneNames().length} zones</text>`
}

function placeBerths(zone: string): string {
  return zones[zone]!.map((b, i) => `<rect class="berth ${b.taken ? 'taken' : ''}" x="${20 + i * 120}" y="20" width="100" height="40"></rect>`).join('')
}

function freeIn(zone: string): number {
  return zones[zone]!.filter((b) => !b.taken).length
}

/** The berth a ship can lie at. */
export function berthOf(ship: Ship): string {
  const free = Object.values(zones).flat().filter((b) => !b.taken && b.depth > ship.draft)
  assert(free.length > 0, `no free berth takes a draft of ${ship.draft} m`)
  return free[0]!.id
}
