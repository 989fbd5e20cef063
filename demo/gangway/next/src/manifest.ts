interface Manifest {
  sailing: string
  passengers: string[]
  cars: number
}

const manifests: Record<string, Manifest | undefined> = { '0900': { sailing: '0900', passengers: ['Ila Tarn', 'Oke Farrow'], cars: 3 } }

/** Who is aboard; nobody, when a sailing has no manifest yet. */
export function manifestOf(sailing: string): string[] {
  return sorted(manifests[sailing]?.passengers ?? [])
}

/** How many cars are aboard. */
export function carsOf(sailing: string): number {
  return manifests[sailing]?.cars ?? 0
}

function sorted(names: string[]): string[] {
  return names.map((n) => n.toUpperCase()).sort()
}

/** How many board in a minute. */
export function boardingRate(boarded: number, minutes: bigint): string {
  return String(BigInt(boarded) / minutes)
}
