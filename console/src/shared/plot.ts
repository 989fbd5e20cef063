import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { count } from '../core/format.ts'
import type { Mark, Strip } from '../core/strip.ts'

/** What is drawn, and what is heard of it. */
export interface Plotted {
  strip: Strip
  marks: Mark[]
  height: number
  /** The colours of the bars, the lowest first, by the names of their properties. */
  colours: readonly string[]
  /** Whether the bars have an axis of times below. */
  times: boolean
  /** The moment under the pointer; undefined: none. */
  over: (moment: number | undefined) => void
  /** A stretch was dragged over: its first and its last moment. */
  dragged: (first: number, last: number) => void
  widened: () => void
}

/** The steps of the axis of counts. */
const whole = Array.from({ length: 10 }, (_, i) => [1, 2, 5].map((n) => n * 10 ** i)).flat()

const colour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim()

/** Draws bars over time into an element; the answer moves the cursor, marks a stretch, and ends it. */
export function plot(into: HTMLElement, p: Plotted): { size: (width: number) => void; cursor: (moment: number | undefined) => void; mark: (first: number, last: number) => void; end: () => void } {
  const s = p.strip
  const bars = uPlot.paths.bars!({ align: 1, size: [0.86, 60] })
  const soft = colour('--color-secondary')
  const font = '12px system-ui, sans-serif'
  const layers = [...s.stacked].reverse() // the tallest first: those below are drawn over it
  const momentOf = (u: uPlot, left: number): number => Math.max(0, s.at.findLastIndex((t) => t <= u.posToVal(left, 'x')))
  const u = new uPlot(
    {
      width: into.clientWidth || 600,
      height: p.height,
      padding: [6, 16, 0, 0],
      legend: { show: false },
      scales: { x: { time: true, range: () => [s.at[0] ?? 0, (s.at.at(-1) ?? 1) + s.interval] }, y: { range: (_, __, most) => [0, Math.max(1, most)] } },
      axes: [
        { show: p.times, stroke: soft, font, size: 20, gap: 3, grid: { show: false }, ticks: { show: false }, space: 64, values: (_, list) => list.map(tick) },
        { stroke: soft, font, size: 46, gap: 4, grid: { stroke: colour('--color-base-300'), width: 1 }, ticks: { show: false }, space: 26, incrs: whole, values: (_, list) => list.map(count) },
      ],
      series: [
        {},
        ...layers.map((_, i) => ({ paths: bars, fill: colour(p.colours[(layers.length - 1 - i) % p.colours.length] ?? '--series-0'), width: 0, points: { show: false } })),
        ...(s.users.length > 0 ? [{ stroke: colour('--color-accent'), width: 1.6, points: { show: s.at.length < 120, size: 4, fill: colour('--color-accent') }, paths: uPlot.paths.linear!({ alignGaps: 0 }) }] : []),
      ],
      cursor: {
        y: false,
        points: { show: false },
        drag: { x: true, y: false, setScale: false },
        bind: {
          dblclick: () => () => {
            p.widened()
            return null
          },
        },
      },
      hooks: {
        setCursor: [(u) => p.over(u.cursor.left === undefined || u.cursor.left < 0 ? undefined : momentOf(u, u.cursor.left))],
        setSelect: [
          (u) => {
            if (u.select.width < 3) return
            const [first, last] = [momentOf(u, u.select.left), momentOf(u, u.select.left + u.select.width - 1)]
            u.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false)
            p.dragged(first, last)
          },
        ],
        draw: [(u) => drawMarks(u, p.marks, colour('--color-base-content'), colour('--color-base-200'))],
      },
    },
    [s.at, ...layers, ...(s.users.length > 0 ? [s.users] : [])],
    into,
  )
  const middle = (moment: number) => u.valToPos((s.at[moment] ?? 0) + s.interval / 2, 'x')
  return {
    size: (width) => u.setSize({ width, height: p.height }),
    cursor: (moment) => u.setCursor(moment === undefined ? { left: -10, top: -10 } : { left: middle(moment), top: 10 }),
    mark: (first, last) => {
      const [left, right] = [u.valToPos(s.at[first] ?? 0, 'x'), u.valToPos((s.at[last] ?? 0) + s.interval, 'x')]
      u.setSelect({ left, width: right - left, top: 0, height: u.over.clientHeight }, false)
    },
    end: () => u.destroy(),
  }
}

/** A moment on the axis: the day at midnight, else the time of day. */
function tick(seconds: number): string {
  const at = new Date(seconds * 1000)
  return at.getHours() + at.getMinutes() === 0 ? at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' }) : at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
}

/** A notch on the ground for each release, a dashed stroke for each deploy. */
function drawMarks(u: uPlot, marks: Mark[], paint: string, edge: string): void {
  const { ctx } = u
  const px = devicePixelRatio
  const ground = u.bbox.top + u.bbox.height
  ctx.save()
  ctx.fillStyle = paint
  ctx.strokeStyle = paint
  ctx.lineWidth = px
  for (const m of marks) {
    const x = u.valToPos(m.at, 'x', true)
    ctx.beginPath()
    if (m.kind === 'release') {
      ctx.moveTo(x - 5 * px, ground)
      ctx.lineTo(x + 5 * px, ground)
      ctx.lineTo(x, ground - 10 * px)
      ctx.closePath()
      ctx.fill()
      ctx.strokeStyle = edge
      ctx.stroke()
      ctx.strokeStyle = paint
    } else {
      ctx.setLineDash([2 * px, 3 * px])
      ctx.moveTo(x, u.bbox.top)
      ctx.lineTo(x, ground)
      ctx.stroke()
      ctx.setLineDash([])
    }
  }
  ctx.restore()
}
