export class WeatherError extends Error {
  override name = 'WeatherError'
}

/** Asks the station on an island for its wind. Nothing listens on that port. */
export async function weatherAt(place: string): Promise<unknown> {
  try {
    const res = await fetch(`http://127.0.0.1:9/wind?place=${encodeURIComponent(place)}&api_key=k-4711`)
    return await res.json()
  } catch (e) {
    throw new WeatherError(`no wind from ${place}`, { cause: e })
  }
}
