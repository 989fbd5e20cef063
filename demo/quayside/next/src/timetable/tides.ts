export interface Tide {
  height: number
  still: boolean
}

const daysOf = (year: number): number => (year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0) ? 366 : 365)

/** One table a day of the year, and one more, for the turn of the year. */
const tables: Tide[][] = Array.from({ length: daysOf(2028) + 1 }, (_, day) =>
  Array.from({ length: 24 }, (_, hour) => {
    const height = 2.1 + 1.6 * Math.sin((day * 24 + hour) / 1.97)
    return { height, still: Math.abs(Math.cos((day * 24 + hour) / 1.97)) < 0.22 }
  }),
)

/** The tide on a day of the year, counted from 1; the year begins anew behind its end. */
export function tideAt(day: number, hour: number): Tide {
  const table = tables[(day - 1) % tables.length]!
  return table[hour % 24]!
}

/** The first hour from `hour` on at which the water stands still. */
export function nextStill(day: number, hour: number): number {
  if (tideAt(day, hour).still) return hour
  return hour >= 23 ? nextStill(day + 1, 0) : nextStill(day, hour + 1)
}
