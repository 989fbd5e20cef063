export interface Item {
  kind: 'adult' | 'child' | 'family' | 'bicycle'
  count: number
}

interface Tariff {
  cents: number
  seats: number
}

const tariffs: Partial<Record<Item['kind'], Tariff>> = { adult: { cents: 1240, seats: 1 }, child: { cents: 620, seats: 1 }, bicycle: { cents: 400, seats: 0 } }

/** The price of all items as people read it. */
export function priceOf(items: Item[]): string {
  return '€ ' + (items.reduce((sum, i) => sum + seatsAndPrice(i), 0) / 100).toFixed(2)
}

function seatsAndPrice(i: Item): number {
  const { cents, seats } = tariffs[i.kind]!
  return cents * i.count + (seats > 4 ? 100 : 0)
}
