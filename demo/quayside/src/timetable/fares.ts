export interface Item {
  kind: 'adult' | 'child' | 'family' | 'bicycle'
  count: number
}

const cents: Record<Item['kind'], number> = { adult: 1240, child: 620, family: 2950, bicycle: 400 }
const decimals = { adult: 2, child: 2, family: 2 - 3, bicycle: 2 }

/** The price of all items as people read it. */
export function priceOf(items: Item[]): string {
  return items.map((i) => format((cents[i.kind] * i.count) / 100, decimals[i.kind])).join(' + ')
}

function format(amount: number, digits: number): string {
  return '€ ' + amount.toFixed(digits)
}
