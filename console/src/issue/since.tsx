import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import type { IssueDetail } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { counted, day, exact } from '../core/format.ts'
import { marks as stems, scaleOf } from '../core/stem.ts'
import { everyDay, lineInWords, timeLine } from '../core/timeline.ts'
import type { TimeLine } from '../core/timeline.ts'
import { Ago, Failed } from '../shared/parts.tsx'
import { useNow } from '../shared/now.ts'

const width = 1000
const top = 54 // of the labels of releases
const height = 118 // of the stems

/** Since when: releases, deploys and events on one time line, and what the silence means. */
export function Since({ project, number, issue: i }: { project: string; number: number; issue: IssueDetail }) {
  const now = useNow()
  const got = useQuery(ask.since(project, number))
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <p className="soft">Loading …</p>
  const s = got.data
  const line = timeLine(s.days.map((d) => d.day), s.marks, now, width)
  const what = s.marks.filter((m) => !['release', 'deploy'].includes(m.kind))
  return (
    <>
      {s.holding && <p className="mb-2"><b className={`font-semibold ${s.holding.odds >= 0.5 ? 'text-primary' : ''}`}>{s.holding.words}</b></p>}
      {s.quiet && <p className="mb-2 font-semibold text-info">{s.quiet}</p>}
      <div className="overflow-x-auto" tabIndex={0} role="group" aria-label="Time line">
        <Drawing line={line} days={everyDay(line.days, s.days)} events={i.events} />
      </div>
      <p className="soft text-[.9rem]">
        {day(line.days[0] ?? i.first_seen)} to {day(line.days.at(-1) ?? i.last_seen)}, days in UTC. Stem: events, on a log scale. Berry: users. Dashed: a release came out; ↑ it was deployed. ✓ fixed or holding, ! came back; shaded: from the last good release to there.
      </p>
      <ol className="mt-2">
        {what.map((m, n) => (
          <li key={n} className="flex gap-3">
            <time className="soft w-44 shrink-0" dateTime={m.at} title={exact(m.at)}>{day(m.at)}, <Ago at={m.at} /></time>
            <span aria-hidden="true" className="w-3 shrink-0 text-center">{signs[m.kind] ?? '·'}</span>
            <span className={m.kind === 'regressed' ? 'hurts' : ''}>{m.words}{m.kind === 'first_seen' && m.release && <> in <span className="mono">{m.release}</span></>}</span>
          </li>
        ))}
      </ol>
    </>
  )
}

const signs: Record<string, string> = { regressed: '!', fix: '✓', released: '✓', holding: '✓', woken: '○', park: '◐' }

function Drawing({ line, days, events }: { line: TimeLine; days: { day: string; events: number; users: number }[]; events: number }) {
  const words = lineInWords(line, events)
  const ground = top + height
  return (
    <svg width={width} height={ground + 34} role="img" aria-label={words}>
      <title>{words}</title>
      {line.ranges.map((r) => (
        <rect key={r.from} className="unsettled" x={r.from} y={top} width={Math.max(2, r.to - r.from)} height={height}><title>{r.words}</title></rect>
      ))}
      {line.releases.map((r) => (
        <g key={r.text}>
          <line className="came-out" x1={r.x} x2={r.x} y1={6 + r.lane * 17} y2={ground} />
          <text className="label mono" x={r.x + 4} y={16 + r.lane * 17}>{r.text}</text>
        </g>
      ))}
      <line className="ground" x1="0" x2={width} y1={ground - 0.5} y2={ground - 0.5} />
      <g transform={`translate(0 ${top})`}>
        {stems(days, scaleOf([days]), width, height, 7).map((m) => (
          <g key={m.day.day}>
            <title>{`${day(m.day.day)}: ${counted(m.day.events, 'event')}, ${counted(m.day.users, 'user')}`}</title>
            <line className="stem" x1={m.x} x2={m.x} y1={height - 1} y2={m.top} />
            {m.r > 0 && <circle className="berry" cx={m.x} cy={m.top} r={m.r} />}
          </g>
        ))}
      </g>
      {line.deploys.map((d, n) => (
        <text key={n} className="label" x={d.x} y={ground + 14} textAnchor="middle"><title>{d.of.words}</title>↑</text>
      ))}
      {line.decisions.map((d, n) => (
        <text key={n} className={`label ${d.of.kind === 'regressed' ? 'back' : ''}`} x={d.x} y={ground + 30} textAnchor="middle"><title>{d.of.words}</title>{signs[d.of.kind] ?? '·'}</text>
      ))}
    </svg>
  )
}
