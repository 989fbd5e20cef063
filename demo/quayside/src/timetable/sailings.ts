export interface Sailing {
  number: string
  hour: number
  from: string
  to: string
}

const harbours = ['Carrow Slip', 'Marrow Head', 'Tern Island', 'Saltby', 'Old Quay']

export function sailingsOf(day: number): Sailing[] {
  return [7, 9, 12, 15, 18].map((hour, i) => ({ number: `${day}${i}`, hour, from: harbours[i]!, to: harbours[(i + 2) % 5]! }))
}

export function findSailing(number: string): Sailing {
  for (let day = 1; day <= 30; day++) {
    for (const s of sailingsOf(day)) if (s.number === number) return s
  }
  throw new Error('not found')
}
