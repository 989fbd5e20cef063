import { getJSON } from './http'

interface Departure {
  ship: string
  minutesLate: number
}

/** Loads departures and says how late each ship is. */
export async function loadDepartures(url: string): Promise<string[]> {
  const list = await getJSON<Departure[]>(url)
  return list.map((d) => `${d.ship}: ${d.minutesLate} min`)
}
