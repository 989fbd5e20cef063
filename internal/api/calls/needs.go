package calls

import (
	"context"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/access"
	coreaudit "firethorn/internal/core/audit"
	"firethorn/internal/core/commits"
	"firethorn/internal/core/difference"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/owners"
	"firethorn/internal/core/release"
	"firethorn/internal/core/review"
	"firethorn/internal/core/silence"
	"firethorn/internal/core/surge"
	"firethorn/internal/pipeline"
	"firethorn/internal/schema"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/store/segments"
	"firethorn/internal/store/sessions"
	"firethorn/internal/store/sight"
	"firethorn/internal/store/symbolstore"
	"firethorn/internal/usecase/find"
	"firethorn/internal/usecase/health"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/moves"
	"firethorn/internal/usecase/overview"
	"firethorn/internal/usecase/regrouping"
	"firethorn/internal/usecase/retention"
	"firethorn/internal/usecase/scoring"
	"firethorn/internal/usecase/similar"
	"firethorn/internal/usecase/status"
	"firethorn/internal/usecase/trails"
	"firethorn/internal/usecase/triage"
)

// Stores are what calls read and change. Each is as small as calls need it, so that
// tests can put another in its place.
type Stores struct {
	Accounts   Accounts
	Alerting   Alerting
	Audit      Audit
	DB         DB
	Events     Events
	Find       Find
	Health     Health
	Inbox      Inbox
	Ingest     Ingest
	Issues     Issues
	Moves      Moves
	Overview   Overview
	Projects   Projects
	Regrouping Regrouping
	Releases   Releases
	Retention  Retention
	Schema     Schema
	Scoring    Scoring
	Similar    Similar
	Status     Status
	Symbols    Symbols
	Tickets    Tickets
	Trails     Trails
	Triage     Triage
}

// Accounts are people, teams, tokens and sessions of the console.
type Accounts interface {
	InvitePerson(ctx context.Context, n accounts.NewPerson) (*accounts.Person, string, error)
	AddTeam(ctx context.Context, name string, members []string) (*accounts.Person, error)
	ChangeTeam(ctx context.Context, name string, add, remove []string) (*accounts.Person, error)
	CreateToken(ctx context.Context, t accounts.NewToken) (id int64, text string, err error)
	FindHere(ctx context.Context, who string) (*accounts.Person, error)
	FindIn(ctx context.Context, who string, p int64, project string) (*accounts.Person, error)
	FindPerson(ctx context.Context, who string) (*accounts.Person, error)
	GrantOfSession(ctx context.Context, secret, address string) (*accounts.Grant, error)
	GrantOfToken(ctx context.Context, text, address string) (*accounts.Grant, error)
	Leave(ctx context.Context, who string) (*accounts.Person, error)
	NewSignInLink(ctx context.Context, person int64, life time.Duration) (string, error)
	People(ctx context.Context, shared accounts.Shared) ([]*accounts.Person, error)
	Return(ctx context.Context, who string) (*accounts.Person, error)
	RevokeToken(ctx context.Context, id int64, of accounts.TokensOf) error
	RotateToken(ctx context.Context, id int64, overlap time.Duration, of accounts.TokensOf) (*accounts.Rotated, error)
	SignIn(ctx context.Context, o accounts.Opening) (secret string, err error)
	SignOut(ctx context.Context, secret string) error
	SignOutPerson(ctx context.Context, person int64) (sessions int64, err error)
	Teams(ctx context.Context, shared accounts.Shared) ([]*accounts.Person, error)
	Tokens(ctx context.Context, of accounts.TokensOf) (out []*accounts.TokenRow, err error)
	Roles
	Sessions
}

// Roles are what people and teams are in projects.
type Roles interface {
	InTeam(ctx context.Context, team, person int64) (bool, error)
	Members(ctx context.Context, project int64) ([]accounts.Membership, error)
	RoleIn(ctx context.Context, person, project int64) (access.Role, error)
	RoleOf(ctx context.Context, p *accounts.Person, project int64) (access.Role, error)
	RolesOf(ctx context.Context, person int64) (roles map[string]access.Role, everywhere access.Role, err error)
	RolesOfAll(ctx context.Context, seen sight.Sight) (map[int64]map[string]access.Role, error)
	SetOperator(ctx context.Context, p *accounts.Person, operator bool) error
	SetRole(ctx context.Context, p *accounts.Person, n accounts.NewRole) error
	TokenWithin(ctx context.Context, token, project int64) (bool, error)
}

// Sessions are the browsers that people are signed in with.
type Sessions interface {
	EndOtherSessions(ctx context.Context, person, but int64) (ended int64, err error)
	EndSession(ctx context.Context, person, id int64) error
	MergePeople(ctx context.Context, from, into *accounts.Person) error
	Rotate(ctx context.Context, g *accounts.Grant) (secret string, err error)
	SessionsOf(ctx context.Context, person int64) ([]accounts.SessionRow, error)
}

// Audit is the audit log: who did what.
type Audit interface {
	List(ctx context.Context, q audit.Query) (list []coreaudit.Entry, next int64, err error)
	Note(ctx context.Context, a audit.Act) error
	Verify(ctx context.Context) (*audit.Verified, error)
}

// DB is the database's clock.
type DB interface {
	ClockSkew(ctx context.Context) (time.Duration, error)
	Now() time.Time
}

// Events reads events, their bodies, sessions and feedback.
type Events interface {
	AnyBody(ctx context.Context, e *events.EventRow) ([]byte, error)
	Event(ctx context.Context, project *projects.Project, id uuid.UUID) (*events.EventRow, error)
	EventBody(ctx context.Context, e *events.EventRow) ([]byte, error)
	EventNeighbours(ctx context.Context, issue int64, e *events.EventRow) (events.Neighbours, error)
	Events(ctx context.Context, q events.EventQuery) (list []*events.EventRow, next int64, err error)
	EventsOfSession(ctx context.Context, project int64, name string, limit int) ([]*events.EventRow, error)
	EventsOfTrace(ctx context.Context, trace string, seen sight.Sight, limit int) (list []events.TracedEvent, err error)
	Exemplar(ctx context.Context, e *events.EventRow) ([]byte, error)
	FeedbackCount(ctx context.Context, issue int64) (n int64, err error)
	FeedbackList(ctx context.Context, q events.FeedbackQuery) (list []events.FeedbackRow, next int64, err error)
	StoredFingerprint(ctx context.Context, e *events.EventRow) (k fingerprint.Key, err error)
	IssueEvent(ctx context.Context, project *projects.Project, issue int64, which string) (*events.EventRow, error)
	Session(ctx context.Context, project int64, name string) (*events.SessionRow, error)
	SessionCounts(ctx context.Context, project int64, from, to time.Time, byDay bool) ([]events.SessionCount,
		error)
	Sessions(ctx context.Context, q events.SessionQuery) (list []*events.SessionRow, next *events.SessionCursor,
		err error)
}

// Inbox is what waits to be processed, what failed, and what came in.
type Inbox interface {
	Discard(ctx context.Context, id uuid.UUID) error
	Filers(ctx context.Context) (n int, err error)
	Received(ctx context.Context, project int64, from, to time.Time) ([]inbox.ReceivedRow, error)
	ReceivedExamples(ctx context.Context, project int64, from time.Time) ([]inbox.ReceivedExample, error)
	Retry(ctx context.Context, id uuid.UUID) (project int64, err error)
	SawAway(err error)
	FailedEvents(ctx context.Context, project int64, limit int) ([]inbox.FailedEvent, error)
	Usable() error
}

// Ingest says which files traces name.
type Ingest interface {
	FilesSeen(ctx context.Context, project int64, release string, limit int) (list []ingest.FileSeen, err error)
	UnreadReleases(ctx context.Context, project int64) (list []ingest.Unread, err error)
}

// Issues reads issues, their history and their list.
type Issues interface {
	CountStates(ctx context.Context, project int64) (map[issue.State]int64, error)
	DecidedOn(ctx context.Context, project *projects.Project, number int64) (int64, error)
	FingerprintParts(ctx context.Context, id int64) ([]fingerprint.Part, error)
	History(ctx context.Context, id int64) ([]issues.HistoryEntry, error)
	Issue(ctx context.Context, project *projects.Project, number int64) (*issues.Issue, error)
	IssueEnvironments(ctx context.Context, id int64) ([]issues.Seen, error)
	IssueReleases(ctx context.Context, id int64) ([]issues.Seen, error)
	IssuesIn(ctx context.Context, p *projects.Project, r *releases.ReleaseRow) (in issues.InRelease, err error)
	MergedFrom(ctx context.Context, id int64) ([]int64, error)
}

// Moves merges and splits issues.
type Moves interface {
	Arrive(ctx context.Context, project int64, read moves.Reader, limit time.Duration) error
	CountFollowed(ctx context.Context, project int64, days int) (n int, err error)
	KeptOf(ctx context.Context, p *projects.Project, id int64, read moves.Reader, take func(k *moves.Kept) error) error
	Merge(ctx context.Context, project *projects.Project, from []int64, into int64, who accounts.Actor) error
	Split(ctx context.Context, project *projects.Project, number int64, d difference.Difference, read moves.Reader,
		who accounts.Actor) (int64, error)
	Splits(ctx context.Context, id int64) (list []moves.SplitInfo, err error)
}

// Overview says how projects and the service stand.
type Overview interface {
	AtOneMoment(ctx context.Context, read func(overview.Moment) error) error
	Carriers(ctx context.Context, project int64, seen sight.Sight) ([]owners.Person, error)
	Counters(ctx context.Context) (map[int64]overview.Counter, error)
	FixedBefore(ctx context.Context, issues []int64) (map[int64][]string, error)
	Inbox(ctx context.Context) (overview.InboxState, error)
	Overview(ctx context.Context, project int64) (*overview.Overview, error)
}

// Projects are the projects, their keys and their rules.
type Projects interface {
	AddKey(ctx context.Context, project int64, label string, routes bool) (*projects.Key, error)
	ChangeProject(ctx context.Context, id int64, c projects.ProjectChange) error
	CreateProject(ctx context.Context, n projects.NewProject) (*projects.Project, *projects.Key, error)
	AllKeys(ctx context.Context, seen sight.Sight) (map[int64][]projects.Key, error)
	AllTotals(ctx context.Context, seen sight.Sight) (map[int64]projects.Totals, error)
	Keys(ctx context.Context, project int64) ([]projects.Key, error)
	Project(ctx context.Context, name string) (*projects.Project, error)
	ProjectByID(ctx context.Context, id int64) (*projects.Project, error)
	Projects(ctx context.Context, seen sight.Sight) ([]*projects.Project, error)
	ProjectsWithRulesOff(ctx context.Context, seen sight.Sight) (map[string][]string, error)
	PushRules(ctx context.Context, project int64, text, note string, onto int,
		who accounts.Actor) (*projects.RulesFile, error)
	RevokeKey(ctx context.Context, project int64, value string) (*projects.Key, error)
	RotateKey(ctx context.Context, project int64, value string, overlap time.Duration) (*projects.Key, error)
	Seen(ctx context.Context, names []string, seen sight.Sight) (map[string]bool, error)
	Rules(ctx context.Context, project int64, version int) (*projects.RulesFile, error)
	RulesHistory(ctx context.Context, project int64, limit int) ([]projects.RulesFile, error)
	RulesOff(ctx context.Context, project int64, version int) ([]projects.RuleOff, error)
	Totals(ctx context.Context, project int64) (projects.Totals, error)
}

// Regrouping groups stored events again.
type Regrouping interface {
	Regroup(ctx context.Context, p *projects.Project, who accounts.Actor) (*regrouping.Regrouping, error)
	Regrouping(ctx context.Context, project *projects.Project, id int64) (*regrouping.Regrouping, error)
	Regroupings(ctx context.Context, project int64, limit int) (list []*regrouping.Regrouping, err error)
	StopRegroup(ctx context.Context, p *projects.Project, who accounts.Actor) error
	UndoRegroup(ctx context.Context, p *projects.Project, who accounts.Actor) (*regrouping.Regrouping, error)
	WantGrouping(ctx context.Context, project int64, version int) error
}

// Releases are a project's releases and the history of its code.
type Releases interface {
	Bundles(ctx context.Context, project int64) (list []releases.Bundle, err error)
	Commits(ctx context.Context, project int64, hashes []string) ([]commits.Commit, error)
	CountCommits(ctx context.Context, project int64) (n, bytes int64, err error)
	Graph(ctx context.Context, project int64) (*commits.Graph, error)
	OrderOf(ctx context.Context, p *projects.Project, a, b string) (release.Order, error)
	Release(ctx context.Context, p *projects.Project, version string) (*releases.ReleaseRow, error)
	ReleaseBefore(ctx context.Context, p *projects.Project, r *releases.ReleaseRow) (*releases.ReleaseRow,
		release.Order, error)
	Releases(ctx context.Context, p *projects.Project) ([]*releases.ReleaseRow, error)
}

// Find answers searches.
type Find interface {
	Affected(ctx context.Context, q find.Ask) (*find.Affected, error)
	CountIssues(ctx context.Context, q find.IssueAsk) (n int, more bool, err error)
	EventPlace(ctx context.Context, q find.Ask, which string, known *events.EventRow) (*events.EventRow, find.Place,
		error)
	Against(ctx context.Context, q find.FacetAsk) (*find.Against, error)
	Attributes(ctx context.Context, project int64) (list []segments.Attribute, places int, err error)
	DropAttribute(ctx context.Context, p *projects.Project, name string, dropped bool) error
	Complete(ctx context.Context, p *projects.Project, asker find.Asker, text string, at,
		limit int) (*find.Completion, error)
	DeleteSaved(ctx context.Context, project, person int64, name string, shared bool) error
	FindEvents(ctx context.Context, q find.EventAsk) (*find.EventPage, error)
	Facets(ctx context.Context, q find.FacetAsk) (*find.Facets, error)
	Histogram(ctx context.Context, q find.HistogramAsk) (*find.Histogram, error)
	FindIssues(ctx context.Context, q find.IssueAsk) (*find.IssuePage, error)
	Save(ctx context.Context, a find.Ask, x find.Saved, who accounts.Actor) (warnings []string, err error)
	SavedNamed(ctx context.Context, project, person int64, name string) (find.Saved, error)
	SavedSearches(ctx context.Context, project, person int64) ([]find.Saved, error)
	User(ctx context.Context, p *projects.Project, asker find.Asker, who string) (*find.User, error)
	Users(ctx context.Context, q find.UsersAsk) (*find.UserPage, error)
}

// Health says how releases do.
type Health interface {
	Check(ctx context.Context, a health.Ask, version string, g health.Gate) (*health.Checked, error)
	Compare(ctx context.Context, a health.Ask, asker find.Asker, first, second string) (*health.Comparison, error)
	Devices(ctx context.Context, a health.Ask, version string) ([]sessions.Trait, error)
	Environments(ctx context.Context, a health.Ask, r *health.Release) ([]health.Environment, error)
	Hits(ctx context.Context, a health.Ask, version string) (list []health.Hit, sessions int64, err error)
	CountSessions(ctx context.Context, p *projects.Project, from, to time.Time) (int64, error)
	Newest(ctx context.Context, p *projects.Project) (*health.Newest, error)
	Quality(ctx context.Context, a health.Ask, version string) (*health.Release, health.Window, error)
	Qualities(ctx context.Context, a health.Ask) ([]*health.Release, health.Window, error)
	Uptake(ctx context.Context, a health.Ask) (list []sessions.Hour, versions map[int64]string, step int64, err error)
}

// Trails gives the trails of users.
type Trails interface {
	Trail(ctx context.Context, q trails.Ask) (*trails.Page, error)
}

// Retention deletes, erases and counts again.
type Retention interface {
	Delete(ctx context.Context, id, events int64, who accounts.Actor) (retention.Deletion, error)
	Erase(ctx context.Context, p *projects.Project, identity, actor string) (*retention.Erasure, error)
	ErasureState(ctx context.Context, project, id int64) (*retention.Erasure, error)
	Recount(ctx context.Context) (list []retention.Difference, following int, err error)
	Repair(ctx context.Context, list []retention.Difference) (int, error)
	WhatGoes(ctx context.Context, id int64) (retention.Deletion, error)
}

// Schema is the state of the database's tables.
type Schema interface {
	PartitionState(ctx context.Context) (schema.Partitions, error)
	Promises(ctx context.Context) (schema.Promises, error)
}

// Scoring is by what issues are scored.
type Scoring interface {
	Scoring(ctx context.Context, project int64) (*scoring.Scoring, error)
	SetScoring(ctx context.Context, project int64, w impact.Weights, t surge.Thresholds) error
	Try(ctx context.Context, project int64, w impact.Weights, limit int) (before, after []scoring.Rank,
		all int, err error)
}

// Similar finds issues that are alike, elsewhere, or happen together.
type Similar interface {
	Elsewhere(ctx context.Context, id int64, seen sight.Sight) (list []similar.Elsewhere, err error)
	GroupingDays(ctx context.Context, project int64, days int) (list []similar.GroupingDay, err error)
	KeptSince(ctx context.Context, project int64, since time.Time, limit int) (n int, err error)
	NoteGrouping(ctx context.Context, project int64, list []review.Issue, ids []int64, of review.CauseOf) error
	Observe(ctx context.Context, project int64, since time.Time, limit int,
		fn func(o *similar.Observation) error) (all int64, err error)
	ReviewIssues(ctx context.Context, project int64) (list []review.Issue, ids []int64, err error)
	Similar(ctx context.Context, project *projects.Project, id int64) ([]similar.Similar, error)
	Together(ctx context.Context, project *projects.Project, id int64,
		seen sight.Sight) ([]similar.NearIssue, error)
	Unsketched(ctx context.Context, project int64) (n int64, err error)
}

// Status notes releases and deploys, and keeps the notices.
type Status interface {
	Announce(ctx context.Context, p *projects.Project, version, commit string,
		who accounts.Actor) (*releases.ReleaseRow, error)
	MarkDeployed(ctx context.Context, p *projects.Project, version, environment string, at time.Time,
		who accounts.Actor) (*releases.ReleaseRow, error)
	Notices(ctx context.Context, person int64, seen sight.Sight, unseen bool, before int64,
		limit int) (list []status.Notice, waiting int64, err error)
	SeeNotices(ctx context.Context, person int64, seen sight.Sight, upTo int64) error
}

// Symbols are pushed symbols.
type Symbols interface {
	AddSymbolFiles(ctx context.Context, project int64, release string,
		files []symbolstore.PushedFile) (symbolstore.Pushed, error)
	HaveSymbols(ctx context.Context, project int64, hashes [][32]byte) (map[[32]byte]bool, error)
	ListSymbols(ctx context.Context, project int64, release string, limit int) ([]symbolstore.SymbolListing, error)
	NeedSymbols(ctx context.Context, project int64, hashes [][32]byte) error
	PartsOf(ctx context.Context, project int64, hashes [][32]byte) (map[[32]byte][]int, error)
	PutSymbolPart(ctx context.Context, project int64, hash [32]byte, total int64, part int, raw []byte) (complete bool,
		err error)
	PutSymbols(ctx context.Context, project int64, contents [][]byte) ([][32]byte, error)
	SymbolCosts(ctx context.Context, project int64, release string, limit int) (out []symbolstore.SymbolCost, err error)
	SymbolUnit(ctx context.Context, id int64) (u pipeline.SymbolUnit, err error)
}

// Triage decides about issues, and leads through rounds.
type Triage interface {
	Act(ctx context.Context, id int64, a issue.Action, why string, who accounts.Actor, ifVersion int64) error
	ActMany(ctx context.Context, p *projects.Project, m triage.Many, a issue.Action, why string,
		who accounts.Actor) (*triage.ManyDone, error)
	AddComment(ctx context.Context, id int64, text string, who accounts.Actor, person int64) (int64, error)
	Appeared(ctx context.Context, p *projects.Project, is *issues.Issue, version string) (triage.Appearance, error)
	BeginRound(ctx context.Context, scope, person int64) error
	CarriedBy(ctx context.Context, seen sight.Sight, project int64) (list []triage.Carried, err error)
	ChangeComment(ctx context.Context, issueID, id int64, text string, who accounts.Actor, any bool) error
	Comments(ctx context.Context, id int64) (list []triage.Comment, err error)
	CommitOf(ctx context.Context, project int64, version string) (string, error)
	Days(ctx context.Context, id int64) (list []issues.TrendDay, err error)
	EndRound(ctx context.Context, scope int64, projects []*projects.Project, who *accounts.Person) (*triage.RoundEnd,
		error)
	EventOf(ctx context.Context, id int64, version string) (*events.EventRow, error)
	Find(ctx context.Context, p *projects.Project, m triage.Many) (map[int64]int64, error)
	HandOver(ctx context.Context, list []*projects.Project, from, to *accounts.Person, why string,
		who accounts.Actor) ([]triage.HandedIn, error)
	Holding(ctx context.Context, project, id int64, st issue.Status) (*silence.Holding, error)
	Marks(ctx context.Context, project int64, from, to time.Time) (list []triage.Mark, err error)
	Pass(ctx context.Context, person int64, asOf time.Time, list []triage.IssueName) error
	Queue(ctx context.Context, scope int64, projects []*projects.Project, person int64, limit int) (*triage.Round,
		error)
	Settled(ctx context.Context, list []triage.IssueName) (out []triage.Settled, err error)
	UndoMany(ctx context.Context, p *projects.Project, bulk int64, who accounts.Actor,
		still func(context.Context) error) (*triage.ManyDone, error)
	Unpass(ctx context.Context, person int64, list []triage.IssueName) error
	Watch(ctx context.Context, id, person int64, on bool) error
	Watching(ctx context.Context, id int64) ([]string, error)
}
