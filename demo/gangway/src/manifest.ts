interface Manifest {
  sailing: string
  passengers: string[]
}

const manifests: Record<string, Manifest | undefined> = { '0900': { sailing: '0900', passengers: ['Ila Tarn', 'Oke Farrow'] } }

/** Who is aboard. */
export function manifestOf(sailing: string): string[] {
  const m = manifests[sailing]
  return sorted(m!.passengers)
}

function sorted(names: string[]): string[] {
  return names.map((n) => n.toUpperCase()).sort()
}

/** How many board in a minute. */
export function boardingRate(boarded: number, minutes: bigint): string {
  return String(BigInt(boarded) / minutes)
}
