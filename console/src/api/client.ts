import createClient from 'openapi-fetch'
import type { outcomes } from '../core/address.ts'
import { searchFields } from '../core/list.ts'
import { takeEvents } from '../core/trial.ts'
import { answersKept } from './kept.ts'
import { decidedByMe } from './mine.ts'
import type { components, paths } from './schema.d.ts'

/** The only place that talks to the service. */
export const api = createClient<paths>({ baseUrl: '' })
api.use(answersKept())

export type Issue = components['schemas']['Issue']
export type IssueDetail = components['schemas']['IssueDetail']
export type Releases = components['schemas']['Releases']
export type ReleaseDetail = components['schemas']['ReleaseDetail']
export type Issues = components['schemas']['Issues']
export type EventDetail = components['schemas']['Event']
export type Exception = components['schemas']['Exception']
export type Frame = components['schemas']['Frame']
export type Project = components['schemas']['Project']
export type Breadcrumb = components['schemas']['Breadcrumb']
export type EventRow = components['schemas']['EventRow']
export type Thread = components['schemas']['Thread']
export type Feedback = components['schemas']['Feedback']
export type SetUp = components['schemas']['SetUp']

export type Received = components['schemas']['Received']
export type ReceivedHour = components['schemas']['ReceivedHour']
export type Rules = components['schemas']['Rules']
export type RulesTried = components['schemas']['RulesTried']
export type TrialRule = components['schemas']['TrialRule']
export type Outcome = components['schemas']['Outcome']
export type Side = components['schemas']['Side']
export type Grouping = components['schemas']['Grouping']
export type Regrouping = components['schemas']['Regrouping']
export type GroupingReview = components['schemas']['GroupingReview']
export type Finding = components['schemas']['Finding']
export type Beside = components['schemas']['Beside']
export type Why = components['schemas']['Why']
export type EventWhy = components['schemas']['EventWhy']
export type GroupPart = components['schemas']['Part']
export type SplitBy = components['schemas']['SplitBy']
export type SymbolRelease = components['schemas']['SymbolRelease']
export type SymbolCheck = components['schemas']['SymbolCheck']
export type CheckedFile = components['schemas']['CheckedFile']
export type UnreadRelease = components['schemas']['UnreadRelease']
export type Difference = components['schemas']['DifferenceFound']
export type RuleProblem = components['schemas']['RuleProblem']

/** A refusal or failure, in the service's own words. */
export class ApiError extends Error {
  readonly status: number
  readonly code: string
  /** Of a search that cannot be read: where, counted from 1, and what was meant. */
  readonly column: number | undefined
  readonly nearest: string | undefined
  constructor(status: number, words: string, code = '', column?: number, nearest?: string) {
    super(words)
    this.status = status
    this.code = code
    this.column = column
    this.nearest = nearest
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

export async function answer<T>(call: Promise<Answer<T>>): Promise<T> {
  let a: Answer<T>
  try {
    a = await call
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new ApiError(0, 'The service does not answer. Nothing was changed; try again in a moment.')
  }
  if (!a.response.ok) {
    const p = a.error as { detail?: string; code?: string; column?: number; nearest?: string } | undefined
    throw new ApiError(a.response.status, p?.detail ?? `The service answered ${a.response.status}.`, p?.code, p?.column, p?.nearest)
  }
  return a.data as T
}

export const me = (signal?: AbortSignal) => answer(api.GET('/api/me', { signal }))
export const signIn = (link: string) => answer(api.POST('/api/session', { body: { link } }))
export const signOut = () => answer(api.DELETE('/api/session'))
export const projects = (signal?: AbortSignal) => answer(api.GET('/api/projects', { signal }))
export const project = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}', { params: { path: { project: name } }, signal }))
export const trace = (id: string, signal?: AbortSignal) => answer(api.GET('/api/traces/{trace}', { params: { path: { trace: id } }, signal }))
/** All that a person needs to decide about an issue. */
export const brief = (name: string, number: number, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/brief', { params: { path: path(name, number) }, signal }))

/** How every project stands. */
export type ProjectOverview = components['schemas']['ProjectOverview']
export const overview = (signal?: AbortSignal) => answer(api.GET('/api/overview', { signal }))
export const people = (signal?: AbortSignal) => answer(api.GET('/api/people', { signal }))

export interface IssuePage {
  state: string
  order: 'impact' | 'users' | 'events' | 'newest' | 'last_seen'
  search: string
  window?: string
  cursor?: string | undefined
  limit?: number
}

export const issues = (name: string, q: IssuePage, signal?: AbortSignal) =>
  answer(
    api.GET('/api/projects/{project}/issues', {
      params: { path: { project: name }, query: { state: [q.state as 'open'], order: q.order, limit: q.limit ?? 50, ...(q.search ? { search: q.search } : {}), ...(q.window ? { window: q.window } : {}), ...(q.cursor ? { cursor: q.cursor } : {}) } },
      signal,
    }),
  )

const path = (name: string, number: number) => ({ project: name, number })
export const issue = (name: string, number: number, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}', { params: { path: path(name, number) }, signal }))
export const history = (name: string, number: number, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/history', { params: { path: path(name, number) }, signal }))
export const event = (name: string, number: number, which: string, q: { search: string; window: string }, signal?: AbortSignal) =>
  answer(api.GET('/api/issues/{project}/{number}/events/{event}', { params: { path: { ...path(name, number), event: which }, query: searchFields(q) }, signal }))

export const feedback = (name: string, number: number, cursor?: string, signal?: AbortSignal) =>
  answer(api.GET('/api/issues/{project}/{number}/feedback', { params: { path: path(name, number), query: { limit: 20, ...(cursor ? { cursor } : {}) } }, signal }))
export type Runtime = NonNullable<NonNullable<import('./schema.d.ts').operations['set-up']['parameters']['query']>['runtime']>
export const setUp = (name: string, runtime: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/set-up', { params: { path: { project: name }, query: { runtime: runtime as Runtime } }, signal }))

export type HistoryEntry = components['schemas']['HistoryEntry']
export type Act = components['schemas']['Act']
export type Verb = 'accept' | 'assign' | 'fix' | 'park' | 'reopen' | 'dismiss' | 'count-only' | 'severity' | 'undo'

/** Decides about an issue; version guards against deciding over somebody else's decision. */
export const act = (id: string, verb: Verb, body: Act = {}, version?: number) => {
  const [name = '', number] = id.split('/')
  const params = { path: path(name, Number(number)), ...(version ? { header: { 'If-Match': `"${version}"` } } : {}) }
  return decidedByMe(id, answer(api.POST(`/api/issues/{project}/{number}/${verb}` as '/api/issues/{project}/{number}/assign', { params, body })))
}

export type ManyVerb = Exclude<Verb, 'undo'>
type ActMany = components['schemas']['ActMany']

/** Decides about many issues of a project; and takes that back. */
export const actMany = (name: string, body: ActMany) => answer(api.POST('/api/projects/{project}/issues/act', { params: { path: { project: name } }, body }))
export const undoMany = (name: string, bulk: number) => answer(api.POST('/api/projects/{project}/issues/undo', { params: { path: { project: name } }, body: { bulk } }))

/** Merges issues into another one of their project; undo takes it back. */
export const mergeIssues = (from: string[], into: string) => {
  const [name = '', first = 0, ...others] = [from[0]?.split('/')[0] ?? '', ...from.map((id) => Number(id.split('/')[1]))] as [string, number, ...number[]]
  return answer(api.POST('/api/issues/{project}/{number}/merge', { params: { path: path(name, first) }, body: { into: Number(into.split('/')[1]), others } }))
}

const ofIssue = (id: string) => path(id.split('/')[0] ?? '', Number(id.split('/')[1]))

/** What the kept events of an issue differ in. */
export const differences = (id: string, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/differences', { params: { path: ofIssue(id) }, signal }))

/** Splits off the part of an issue that has a difference; undo takes it back. */
export const splitIssue = (id: string, by: SplitBy) => answer(api.POST('/api/issues/{project}/{number}/split', { params: { path: ofIssue(id) }, body: by }))

/** What stands beside an issue: the same fingerprint elsewhere, similar issues, those that happen together with it. */
export const beside = (id: string, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/beside', { params: { path: ofIssue(id) }, signal }))
export const together = (id: string, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/together', { params: { path: ofIssue(id) }, signal }))

const ofProject = (name: string) => ({ path: { project: name } })
export const received = (name: string, hours: number, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/received', { params: { ...ofProject(name), query: { hours } }, signal }))
export const rules = (name: string, version: number, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/rules', { params: { ...ofProject(name), query: { version } }, signal }))
export const rulesWords = (signal?: AbortSignal) => answer(api.GET('/api/rules/words', { signal }))
export const rulesHistory = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/rules/history', { params: ofProject(name), signal }))
export const checkRules = (name: string, text: string, signal?: AbortSignal) => answer(api.POST('/api/projects/{project}/rules/check', { params: ofProject(name), body: { text }, signal }))

export interface TrialOf {
  text?: string
  grouping_version?: number
}

/** Tries a rules file, or another grouping version, on stored events; tells how far it is. Ending it by the signal cancels it. */
export async function watchTrial(name: string, of: TrialOf, told: (looked: number, all: number) => void, signal: AbortSignal): Promise<RulesTried> {
  const response = await fetch(`/api/projects/${encodeURIComponent(name)}/rules/try/live`, {
    method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify({ ...of, days: 14, events: 20_000 }), signal,
  }).catch((e: unknown) => {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new ApiError(0, 'The service does not answer. Nothing was changed; try again in a moment.')
  })
  if (!response.ok || !response.body) {
    const p = (await response.json().catch(() => undefined)) as { detail?: string } | undefined
    throw new ApiError(response.status, p?.detail ?? `The service answered ${response.status}.`)
  }
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
  for (let buffer = ''; ; ) {
    const { done, value } = await reader.read()
    if (done) throw new ApiError(0, 'The trial broke off. Nothing was changed; try again.')
    const got = takeEvents(buffer + value)
    buffer = got.rest
    for (const e of got.events) {
      const data: unknown = JSON.parse(e.data)
      if (e.name === 'progress') told((data as { looked: number }).looked, (data as { of: number }).of)
      if (e.name === 'tried') return data as RulesTried
      if (e.name === 'problem') throw new ApiError((data as { status: number }).status, (data as { detail: string }).detail)
    }
  }
}

/** How a project's events are grouped, and how stored ones were regrouped. */
export const regroupings = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/regroupings', { params: ofProject(name), signal }))
export const regroup = (name: string, verb: 'begin' | 'stop' | 'undo') => answer(api.POST(`/api/projects/{project}/regroupings/${verb}`, { params: ofProject(name) }))
export const adoptGrouping = (name: string, version: number) => answer(api.PUT('/api/projects/{project}/grouping/version', { params: ofProject(name), body: { grouping_version: version } }))

/** What is grouped badly, and the rules with what a finding suggests. */
export const review = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/grouping/review', { params: ofProject(name), signal }))
export const suggestion = (name: string, finding: number, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/grouping/review/{finding}/rules', { params: { path: { project: name, finding } }, signal }))
export const pushRules = (name: string, text: string, note: string, onto: number) => answer(api.PUT('/api/projects/{project}/rules', { params: ofProject(name), body: { text, note, onto } }))

/** Since when: days, releases, deploys and decisions of an issue. */
export const since = (name: string, number: number, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/since', { params: { path: path(name, number) }, signal }))

/** The commits that may have brought an issue. */
export const likely = (id: string, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/likely', { params: { path: ofIssue(id) }, signal }))

/** Who has what; and all of one person's given to another one. */
export const carriers = (signal?: AbortSignal) => answer(api.GET('/api/owners', { signal }))
export type HandedIn = components['schemas']['HandedIn']
export const handOver = (body: components['schemas']['HandOver']) => answer(api.POST('/api/owners/hand-over', { body }))

/** What people write about an issue, and who wants notices about it. */
export const writeComment = (id: string, text: string) => answer(api.POST('/api/issues/{project}/{number}/comments', { params: { path: ofIssue(id) }, body: { text } }))
export const changeComment = (id: string, comment: number, text: string) => answer(api.PUT('/api/issues/{project}/{number}/comments/{comment}', { params: { path: { ...ofIssue(id), comment } }, body: { text } }))
export const deleteComment = (id: string, comment: number) => answer(api.DELETE('/api/issues/{project}/{number}/comments/{comment}', { params: { path: { ...ofIssue(id), comment } } }))
export const watchIssue = (id: string, on: boolean) =>
  on ? answer(api.PUT('/api/issues/{project}/{number}/watch', { params: { path: ofIssue(id) } })) : answer(api.DELETE('/api/issues/{project}/{number}/watch', { params: { path: ofIssue(id) } }))

/** A round of triage: in one project, or in all. */
export type RoundItem = components['schemas']['RoundItem']
export type RoundEnd = components['schemas']['RoundEnd']
const inProject = (project: string | undefined) => (project ? { project } : {})
export const round = (project: string | undefined, q: { limit: number; held?: string }, signal?: AbortSignal) => answer(api.GET('/api/round', { params: { query: { ...inProject(project), ...q } }, signal }))
export const beginRound = (project: string | undefined, signal?: AbortSignal) => answer(api.POST('/api/round', { params: { query: { ...inProject(project), limit: 200 } }, signal }))
export const endRound = (project: string | undefined) => answer(api.POST('/api/round/end', { params: { query: inProject(project) } }))
export const passInRound = (issues: string[], as_of: string, back = false) => answer(api.POST('/api/round/pass', { body: { issues, as_of, back } }))

/** By what a project's issues are scored. */
export type Scoring = components['schemas']['Scoring']
export type SetScoring = components['schemas']['SetScoring']
export type Rank = components['schemas']['Rank']
export const scoring = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/impact', { params: ofProject(name), signal }))
export const tryScoring = (name: string, body: SetScoring, signal?: AbortSignal) => answer(api.POST('/api/projects/{project}/impact/trial', { params: { ...ofProject(name), query: { most: 20 } }, body, signal }))
export const changeScoring = (name: string, body: SetScoring) => answer(api.PUT('/api/projects/{project}/impact', { params: ofProject(name), body }))

/** Who may have an issue, and why. */
export const owners = (id: string, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/owners', { params: { path: ofIssue(id) }, signal }))

/** Who changed a line of a trace last, as it was in a release. */
export const whoChanged = (name: string, release: string, source: string, line: number, signal?: AbortSignal) =>
  answer(api.GET('/api/projects/{project}/line', { params: { ...ofProject(name), query: { release, source, line } }, signal }))

/** What goes with an issue that is deleted; deleting it takes how many events that are. */
export const whatGoes = (id: string, signal?: AbortSignal) => answer(api.GET('/api/issues/{project}/{number}/deletion', { params: { path: ofIssue(id) }, signal }))
export const deleteIssue = (id: string, events: number) => answer(api.DELETE('/api/issues/{project}/{number}', { params: { path: ofIssue(id), query: { events } } }))

/** A person's notices. */
export const notices = (q: { unseen?: boolean; limit?: number; before?: number | undefined }, signal?: AbortSignal) => answer(api.GET('/api/notices', { params: { query: q }, signal }))
export const seenNotices = (upTo: number) => answer(api.POST('/api/notices/seen', { body: { up_to: upTo } }))

/** The releases of a project, the newest first; and all about one. */
export const releases = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/releases', { params: ofProject(name), signal }))
export const release = (name: string, version: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/release', { params: { ...ofProject(name), query: { version } }, signal }))

/** What was pushed, and what it takes by release. */
export const symbols = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/symbols', { params: { ...ofProject(name), query: { limit: 200 } }, signal }))

/** Releases whose traces cannot be read for want of symbols. */
export const unreadReleases = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/symbols/unread', { params: ofProject(name), signal }))

/** Whether the traces of a release, or of one event, can be read, and why not. */
export const checkSymbols = (name: string, release: string | undefined, event: string | undefined, signal?: AbortSignal) =>
  answer(api.GET('/api/projects/{project}/symbols/check', { params: { ...ofProject(name), query: { ...(release ? { release } : {}), ...(event ? { event } : {}) } }, signal }))

/** Why an event (or an issue's newest one) is grouped as it is, and where another one first differs. */
export const why = (name: string, event: string, other: string | undefined, signal?: AbortSignal) =>
  answer(api.GET('/api/projects/{project}/grouping', { params: { path: { project: name }, query: { event, ...(other ? { other } : {}) } }, signal }))

/** Projects, their keys and settings. */
export type Key = components['schemas']['Key']
export type ChangeProject = components['schemas']['ChangeProject']
export const createProject = (name: string) => answer(api.POST('/api/projects', { body: { name, keep_days: 30 } }))
export const changeProject = (name: string, body: ChangeProject) => answer(api.PATCH('/api/projects/{project}', { params: ofProject(name), body }))
export const keys = (name: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/keys', { params: ofProject(name), signal }))
export const createKey = (name: string, label: string) => answer(api.POST('/api/projects/{project}/keys', { params: ofProject(name), body: { label } }))
export const rotateKey = (name: string, key: string, overlap_hours: number) => answer(api.POST('/api/projects/{project}/keys/{key}/rotate', { params: { path: { project: name, key } }, body: { overlap_hours } }))
export const revokeKey = (name: string, key: string) => answer(api.POST('/api/projects/{project}/keys/{key}/revoke', { params: { path: { project: name, key } } }))

/** People and teams. */
export type Person = components['schemas']['Person']
export type Team = components['schemas']['Team']
export const addPerson = (body: components['schemas']['NewPerson']) => answer(api.POST('/api/people', { body }))
export const invitePerson = (who: string) => answer(api.POST('/api/people/{who}/link', { params: { path: { who } } }))
export const signOutPerson = (who: string) => answer(api.POST('/api/people/{who}/sign-out', { params: { path: { who } } }))
export const setOperator = (who: string, operator: boolean) => answer(api.PUT('/api/people/{who}/operator', { params: { path: { who } }, body: { operator } }))
export const setRoleEverywhere = (who: string, body: components['schemas']['SetRole']) => answer(api.PUT('/api/people/{who}/role', { params: { path: { who } }, body }))
export const mergePeople = (who: string, into: string) => answer(api.POST('/api/people/{who}/merge', { params: { path: { who } }, body: { into } }))

/** Who has which role in a project. */
export type Member = components['schemas']['Member']
export const members = (project: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/members', { params: { path: { project } }, signal }))
export const setMember = (project: string, body: components['schemas']['SetMember']) => answer(api.PUT('/api/projects/{project}/members', { params: { path: { project } }, body }))

/** What programs authorise with. */
export type TokenInfo = components['schemas']['TokenInfo']
export type NewToken = components['schemas']['NewToken']
export const tokens = (signal?: AbortSignal) => answer(api.GET('/api/tokens', { signal }))
export const createToken = (body: NewToken) => answer(api.POST('/api/tokens', { body }))
export const rotateToken = (id: number, hours: number) => answer(api.POST('/api/tokens/{id}/rotate', { params: { path: { id } }, body: { overlap_hours: hours } }))
export const revokeToken = (id: number) => answer(api.DELETE('/api/tokens/{id}', { params: { path: { id } } }))

/** The browsers that one is signed in with. */
export const signIns = (signal?: AbortSignal) => answer(api.GET('/api/me/sessions', { signal }))
export const endSignIn = (id: number) => answer(api.DELETE('/api/me/sessions/{id}', { params: { path: { id } } }))
export const endOtherSignIns = () => answer(api.DELETE('/api/me/sessions'))

export const personLeft = (who: string, left: boolean) =>
  left ? answer(api.POST('/api/people/{who}/leave', { params: { path: { who } } })) : answer(api.POST('/api/people/{who}/return', { params: { path: { who } } }))
export const createTeam = (name: string, members: string[]) => answer(api.POST('/api/teams', { body: { name, members } }))
export const changeTeam = (team: string, body: components['schemas']['ChangeTeam']) => answer(api.PATCH('/api/teams/{team}', { params: { path: { team } }, body }))

/** The service itself. */
export type FailedEvent = components['schemas']['FailedEvent']
export type Recount = components['schemas']['Recount']
export const status = (signal?: AbortSignal) => answer(api.GET('/api/status', { signal }))
export const queue = (signal?: AbortSignal) => answer(api.GET('/api/queue', { signal }))
export const retryEvent = (id: string) => answer(api.POST('/api/queue/{id}/retry', { params: { path: { id } } }))
export const discardEvent = (id: string) => answer(api.POST('/api/queue/{id}/discard', { params: { path: { id } } }))
export const recount = (signal?: AbortSignal) => answer(api.GET('/api/recount', { signal }))
export const repair = () => answer(api.POST('/api/recount'))

/** Sessions of an application. */
export type Session = components['schemas']['Session']
export type SessionDetail = components['schemas']['SessionDetail']
export type SessionCount = components['schemas']['SessionCount']
export const sessions = (name: string, q: { outcome?: Exclude<(typeof outcomes)[number], ''>; cursor?: string | undefined }, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/sessions', { params: { ...ofProject(name), query: q }, signal }))
export const sessionCounts = (name: string, days: number, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/session-counts', { params: { ...ofProject(name), query: { days } }, signal }))
export const session = (name: string, session: string, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/sessions/{session}', { params: { path: { project: name, session } }, signal }))

/** Who did what, when, from where; and whether that is as it was written. */
export type AuditEntry = components['schemas']['AuditEntry']
export const audit = (q: { project?: string; person?: string; cursor?: string | undefined }, signal?: AbortSignal) => answer(api.GET('/api/audit', { params: { query: q }, signal }))
export const verifyAudit = () => answer(api.GET('/api/audit/verification'))
