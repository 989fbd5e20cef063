import { lost } from '../core/current.ts'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import * as api from '../api/client.ts'
import type { Rank, Scoring } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { counted } from '../core/format.ts'
import { asShare, moved, numberOf, partNames, partWords } from '../core/scoring.ts'
import { Ago, Copy, Failed, Loading } from '../shared/parts.tsx'
import { useTitle } from '../shared/title.ts'
import { useRole } from '../shared/rights.ts'
import { useSay } from '../shared/say.tsx'
import { option } from '../core/shell.ts'
import { issueAt } from '../core/address.ts'
import { Card, Page, Table } from '../shared/page.tsx'

/** What each part of the impact can give, with the list before and after; and when an issue surges. */
export function ImpactPage() {
  const { project = '' } = useParams()
  const may = useRole(project, 'maintainer')
  const got = useQuery(ask.scoring(project))
  useTitle('Impact', project)
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  return (
    <Page
      title="Impact"
      about={
        <>
          {counted(got.data.active_users, 'active user')} in 14 days{got.data.counted && <>, counted <Ago at={got.data.counted} /></>}; newest release: {got.data.newest_release || 'none'}.
          {got.data.stale > 0 && ` ${counted(got.data.stale, 'issue')} being scored again.`}
        </>
      }
      actions={<Copy text={`firethorn impact show ${option('--project', project)}`}>Copy as command</Copy>}
    >
      {!may && <p className="soft">You can try other weights; maintainers save them.</p>}
      <Weights key={`w ${JSON.stringify(got.data.weights)}`} project={project} scoring={got.data} />
      <Surges key={`s ${JSON.stringify(got.data.surge)}`} project={project} scoring={got.data} />
    </Page>
  )
}

function useChange(project: string) {
  const client = useQueryClient()
  const say = useSay()
  return useMutation({
    mutationFn: (body: api.SetScoring) => api.changeScoring(project, body),
    onSuccess: () => {
      say('Saved. All issues are being scored again.')
      void client.invalidateQueries({ queryKey: ask.allOf(project) })
    },
    onError: (e) => say(e.message, true),
  })
}

function Weights({ project, scoring }: { project: string; scoring: Scoring }) {
  const [text, setText] = useState<Record<string, string>>(Object.fromEntries(partNames.map((p) => [p, String(scoring.weights[p] ?? 0)])))
  const weights = Object.fromEntries(partNames.map((p) => [p, numberOf(text[p] ?? '', 0, 1000)]))
  const bad = partNames.filter((p) => weights[p] === undefined)
  const all = partNames.reduce((n, p) => n + (weights[p] ?? 0), 0)
  const good = bad.length === 0 && all > 0
  const same = good && partNames.every((p) => weights[p] === scoring.weights[p])
  const tried = useQuery({
    ...ask.scoringTrial(project, weights), enabled: good,
  })
  const change = useChange(project)
  const may = useRole(project, 'maintainer')
  return (
    <Card title="What each part can give">
      <div className="grid gap-x-10 gap-y-4 lg:grid-cols-[26rem_minmax(0,1fr)]">
        <form
          onSubmit={(e) => {
            e.preventDefault()
            if (good && !same) change.mutate({ weights: weights as Record<string, number> })
          }}
        >
          <table className="w-full">
            <thead>
              <tr className="soft text-left">
                <th scope="col" className="font-normal">Part</th>
                <th scope="col" className="font-normal">Weight</th>
                <th scope="col" className="text-right font-normal">Points at most</th>
              </tr>
            </thead>
            <tbody>
              {partNames.map((p) => (
                <tr key={p}>
                  <th scope="row" className="py-1 pr-3 text-left font-normal"><b className="font-semibold">{p}</b><span className="soft block text-[.93rem]">{partWords[p]}</span></th>
                  <td className="pr-3"><input className={`input input-sm w-20 text-right ${weights[p] === undefined ? 'border-accent' : ''}`} inputMode="decimal" aria-label={`weight of ${p}`} aria-invalid={weights[p] === undefined} value={text[p]} onChange={(e) => setText({ ...text, [p]: e.target.value })} /></td>
                  <td className="text-right">{good ? ((100 * (weights[p] ?? 0)) / all).toFixed(1) : '–'}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {bad.length > 0 && <p role="alert" className="mt-2 text-accent">{bad.join(', ')}: write a number from 0 to 1,000.</p>}
          {bad.length === 0 && all === 0 && <p role="alert" className="mt-2 text-accent">One weight at least must be more than 0.</p>}
          <p className="mt-3 flex flex-wrap gap-2">
            <button className="btn btn-primary btn-sm" disabled={!may || !good || same || change.isPending}>Save these weights</button>
            <button type="button" className="btn btn-ghost btn-sm font-normal" onClick={() => change.mutate({ reset: true })}>Back to the defaults</button>
            {good && !same && <Copy text={`firethorn impact try ${option('--project', project)} ${partNames.filter((p) => weights[p] !== scoring.weights[p]).map((p) => `--weight ${p}=${weights[p]}`).join(' ')}`}>Copy as command</Copy>}
          </p>
        </form>
        <div className="min-w-0">
          {tried.error && <Failed error={tried.error} />}
          {tried.data && (
            <>
              <h3 className="font-semibold">{same ? `The list as it is, ${counted(tried.data.issues, 'open issue')}` : `The list as it would be, ${counted(tried.data.issues, 'open issue')}`}</h3>
              <Ranks list={tried.data.after} before={tried.data.before} same={same} />
              {tried.data.issues === 0 && <p className="soft">No open issue to rank yet.</p>}
            </>
          )}
        </div>
      </div>
    </Card>
  )
}

function Ranks({ list, before, same }: { list: Rank[]; before: Rank[]; same: boolean }) {
  const old = new Map(before.map((r) => [r.issue, r]))
  return (
    <Table label="The list" columns={['Place', 'Impact', 'Issue', 'Largest part']}>
        {list.map((r) => {
          const best = r.parts.reduce((a, b) => (b.points > a.points ? b : a))
          const was = old.get(r.issue)
          return (
            <tr key={r.issue}>
              <td className="whitespace-nowrap">{r.place}{!same && <span className={`ml-2 ${r.was && r.was > r.place ? 'text-primary' : r.was && r.was < r.place ? 'hurts' : 'soft'}`}>{moved(r.place, r.was)}</span>}</td>
              <td className="whitespace-nowrap">{r.impact.toFixed(1)}{!same && was && <span className="soft"> was {was.impact.toFixed(1)}</span>}</td>
              <td className="max-w-64 truncate"><Link className="link-hover font-semibold" to={issueAt(r.issue)}>{r.headline}</Link> <span className="soft">{r.issue}</span></td>
              <td className="soft">{best.points.toFixed(1)} {best.words}</td>
            </tr>
          )
        })}
    </Table>
  )
}

const thresholds = [
  ['minutes', 'minutes that are compared with the past (10 to 60, in tens)'], ['events', 'events in them, at least'], ['users', 'affected users, at least, if users are known'], ['times', 'times the usual rate, at least'],
  ['odds', 'odds that it is chance, at most'], ['share', 'or share of affected sessions, in per cent'], ['sessions', 'of so many sessions, at least'],
] as const

function Surges({ project, scoring }: { project: string; scoring: Scoring }) {
  const shown = { ...scoring.surge, share: asShare(scoring.surge.share) }
  const [text, setText] = useState<Record<string, string>>(Object.fromEntries(thresholds.map(([n]) => [n, String(shown[n])])))
  const change = useChange(project)
  const may = useRole(project, 'maintainer')
  const value = (n: string) => numberOf(text[n] ?? '', 0, 1e9)
  const bad = thresholds.filter(([n]) => value(n) === undefined)
  const same = thresholds.every(([n]) => value(n) === shown[n])
  return (
    <Card title="When an issue surges">
      <p className="soft max-w-3xl">The last minutes are compared with the issue's past two weeks: its mean, or the mean at the same time of day if that is higher. A surge ends below half of these numbers.</p>
      <form
        className="mt-2 max-w-3xl"
        onSubmit={(e) => {
          e.preventDefault()
          if (bad.length === 0) change.mutate({ surge: { minutes: value('minutes')!, events: value('events')!, users: value('users')!, times: value('times')!, odds: value('odds')!, share: value('share')! / 100, sessions: value('sessions')! } })
        }}
      >
        <div className="grid grid-cols-[6rem_1fr] items-center gap-x-3 gap-y-1">
          {thresholds.map(([n, words]) => (
            <label key={n} className="contents">
              <input className={`input input-sm w-24 text-right ${value(n) === undefined ? 'border-accent' : ''}`} inputMode="decimal" aria-invalid={value(n) === undefined} value={text[n]} onChange={(e) => setText({ ...text, [n]: e.target.value })} />
              <span>{words}</span>
            </label>
          ))}
        </div>
        {bad.length > 0 && <p role="alert" className="mt-2 text-accent">{bad.map(([n]) => n).join(', ')}: write a number.</p>}
        <button className="btn btn-primary btn-sm mt-3" disabled={!may || bad.length > 0 || same || change.isPending}>Save these thresholds</button>
      </form>
    </Card>
  )
}
