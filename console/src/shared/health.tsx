import type { ShareOf, Verdict } from '../api/health.ts'
import { percent, place, withInterval } from '../core/health.ts'

/** A share with its interval as a bar: the stroke is the interval, the dot the share. */
export function Interval({ share: s, from, width = 120 }: { share: ShareOf; from: number; width?: number }) {
  const x = (v: number) => 3 + place(v, from) * (width - 6)
  return (
    <span className="inline-flex items-center gap-2" title={withInterval(s)}>
      <svg width={width} height="14" role="img" aria-label={withInterval(s)}>
        <line x1="0" x2={width} y1="7" y2="7" className="ground" />
        <line x1={x(s.low)} x2={Math.max(x(s.high), x(s.low) + 1)} y1="7" y2="7" stroke="var(--color-primary)" strokeWidth="5" />
        <circle cx={x(s.share)} cy="7" r="3" fill="var(--color-base-content)" />
      </svg>
      <span>{percent(s.share)}</span>
    </span>
  )
}

const looks: Record<string, string> = { worse: 'hurts font-semibold', better: 'text-primary font-semibold', 'too early': 'soft', 'no difference': '' }

/** A verdict as a word, with its numbers on hover. */
export function VerdictWord({ verdict: v }: { verdict: Verdict | undefined }) {
  if (!v?.says) return <span className="soft">–</span>
  return <span className={`whitespace-nowrap ${looks[v.says] ?? ''}`} title={`Beside ${v.baseline}: ${v.why}`}>{v.says}</span>
}
