import { nextStill, tideAt } from './tides'
import { sailingsOf } from './sailings'

export class TimetableError extends Error {
  override name = 'TimetableError'
}

/** Draws the timetable of one day. */
export function drawTimetable(app: HTMLElement, day: number): void {
  const rows = sailingsOf(day).map((s) => {
    const tide = tideAt(day, s.hour)
    return `<tr><td>${s.hour}:10</td><td>${s.from} to ${s.to}</td><td>${tide.height.toFixed(1)} m</td></tr>`
  })
  app.querySelector('#timetable')!.innerHTML = `<table><tr><th>Leaves</th><th>Route</th><th>Tide</th></tr>${rows.join('')}</table>`
}

/** Draws seven days; a failure says which one. */
export function drawWeek(app: HTMLElement, first: number): void {
  for (let day = first; day < first + 7; day++) {
    try {
      const still = nextStill(day, 6)
      app.querySelector('#timetable')!.insertAdjacentHTML('beforeend', `<p>Day ${day}: still water at ${still}:00</p>`)
    } catch (e) {
      throw new TimetableError(`week from day ${first} could not be drawn`, { cause: e })
    }
  }
}
