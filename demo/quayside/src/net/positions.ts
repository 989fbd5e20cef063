interface Position {
  ship: string
  lat: number
}

/** Asks where the ships are, again and again, and hands on what fails. */
export function followShips(times: number, failed: (e: unknown) => void): void {
  const ask = () => {
    try {
      showPosition(JSON.parse('{"ship":"Eider","lat":null}') as Position)
    } catch (e) {
      failed(e)
    }
    if (--times > 0) setTimeout(ask, 50)
  }
  ask()
}

function showPosition(p: Position): string {
  return `${p.ship} at ${p.lat.toFixed(4)}`
}
