export interface Tide {
  height: number
  still: boolean
}

/** One table a day of the year, as the harbour office gives them out. */
const tables: Tide[][] = Array.from({ length: 365 }, (_, day) =>
  Array.from({ length: 24 }, (_, hour) => {
    const height = 2.1 + 1.6 * Math.sin((day * 24 + hour) / 1.97)
    return { height, still: Math.abs(Math.cos((day * 24 + hour) / 1.97)) < 0.22 }
  }),
)

/** The tide on a day of the year, counted from 1. */
export function tideAt(day: number, hour: number): Tide {
  const table = tables[day - 1]!
  return table[hour % 24]!
}

/** The first hour from `hour` on at which the water stands still. */
export function nextStill(day: number, hour: number): number {
  if (tideAt(day, hour).still) return hour
  return hour >= 23 ? nextStill(day + 1, 0) : nextStill(day, hour + 1)
}
