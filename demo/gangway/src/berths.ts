const berths = [{ ship: 'Brent Gull', berth: 'C1' }, { ship: 'Sandpiper', berth: 'B2' }]

export function findBerth(ship: string): string {
  const b = berths.find((x) => x.ship === ship)
  if (!b) throw new Error('not found')
  return b.berth
}
