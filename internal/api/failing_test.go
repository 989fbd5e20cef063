package api

import (
	"context"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/api/calls"
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

// failing stands in for all stores: whatever is asked of them fails with err.
type failing struct{ err error }

// stores gives what calls work with.
func (f *failing) stores() calls.Stores {
	return calls.Stores{Accounts: f, Alerting: failingAlerting{f.err}, Audit: f, DB: f, Events: f, Find: f, Health: f, Inbox: f, Ingest: f, Issues: f, Moves: f, Overview: f, Projects: f, Regrouping: f, Releases: f, Retention: f, Schema: f, Scoring: f, Similar: f, Status: f, Symbols: f, Tickets: failingTickets{f.err}, Trails: f, Triage: f}
}

func (f *failing) InvitePerson(context.Context, accounts.NewPerson) (*accounts.Person, string, error) {
	return *new(*accounts.Person), *new(string), f.err
}
func (f *failing) List(context.Context, audit.Query) ([]coreaudit.Entry, int64, error) {
	return nil, 0, f.err
}
func (f *failing) Note(context.Context, audit.Act) error { return f.err }
func (f *failing) Verify(context.Context) (*audit.Verified, error) {
	return *new(*audit.Verified), f.err
}
func (f *failing) AllKeys(context.Context, sight.Sight) (map[int64][]projects.Key, error) {
	return nil, f.err
}
func (f *failing) AllTotals(context.Context, sight.Sight) (map[int64]projects.Totals, error) {
	return nil, f.err
}
func (f *failing) AddTeam(context.Context, string, []string) (*accounts.Person, error) {
	return *new(*accounts.Person), f.err
}
func (f *failing) ChangeTeam(context.Context, string, []string, []string) (*accounts.Person, error) {
	return *new(*accounts.Person), f.err
}
func (f *failing) CreateToken(context.Context, accounts.NewToken) (int64, string, error) {
	return *new(int64), *new(string), f.err
}
func (f *failing) FindHere(context.Context, string) (*accounts.Person, error) {
	return *new(*accounts.Person), f.err
}
func (f *failing) FindPerson(context.Context, string) (*accounts.Person, error) {
	return *new(*accounts.Person), f.err
}
func (f *failing) GrantOfSession(context.Context, string, string) (*accounts.Grant, error) {
	return *new(*accounts.Grant), f.err
}
func (f *failing) GrantOfToken(context.Context, string, string) (*accounts.Grant, error) {
	return *new(*accounts.Grant), f.err
}
func (f *failing) Leave(context.Context, string) (*accounts.Person, error) {
	return *new(*accounts.Person), f.err
}
func (f *failing) NewSignInLink(context.Context, int64, time.Duration) (string, error) {
	return *new(string), f.err
}
func (f *failing) People(context.Context, accounts.Shared) ([]*accounts.Person, error) {
	return *new([]*accounts.Person), f.err
}
func (f *failing) Return(context.Context, string) (*accounts.Person, error) {
	return *new(*accounts.Person), f.err
}
func (f *failing) RevokeToken(context.Context, int64, accounts.TokensOf) error { return f.err }
func (f *failing) SignIn(context.Context, accounts.Opening) (string, error) {
	return *new(string), f.err
}
func (f *failing) SignOut(context.Context, string) error               { return f.err }
func (f *failing) SignOutPerson(context.Context, int64) (int64, error) { return *new(int64), f.err }
func (f *failing) Teams(context.Context, accounts.Shared) ([]*accounts.Person, error) {
	return *new([]*accounts.Person), f.err
}
func (f *failing) Tokens(context.Context, accounts.TokensOf) ([]*accounts.TokenRow, error) {
	return *new([]*accounts.TokenRow), f.err
}
func (f *failing) ClockSkew(context.Context) (time.Duration, error) {
	return *new(time.Duration), f.err
}
func (f *failing) AnyBody(context.Context, *events.EventRow) ([]byte, error) {
	return *new([]byte), f.err
}
func (f *failing) Event(context.Context, *projects.Project, uuid.UUID) (*events.EventRow, error) {
	return *new(*events.EventRow), f.err
}
func (f *failing) EventBody(context.Context, *events.EventRow) ([]byte, error) {
	return *new([]byte), f.err
}
func (f *failing) EventNeighbours(context.Context, int64, *events.EventRow) (events.Neighbours, error) {
	return *new(events.Neighbours), f.err
}
func (f *failing) Events(context.Context, events.EventQuery) ([]*events.EventRow, int64, error) {
	return *new([]*events.EventRow), *new(int64), f.err
}
func (f *failing) EventsOfSession(context.Context, int64, string, int) ([]*events.EventRow, error) {
	return *new([]*events.EventRow), f.err
}
func (f *failing) EventsOfTrace(context.Context, string, sight.Sight, int) ([]events.TracedEvent, error) {
	return *new([]events.TracedEvent), f.err
}
func (f *failing) Exemplar(context.Context, *events.EventRow) ([]byte, error) {
	return *new([]byte), f.err
}
func (f *failing) FeedbackCount(context.Context, int64) (int64, error) { return *new(int64), f.err }
func (f *failing) FeedbackList(context.Context, events.FeedbackQuery) ([]events.FeedbackRow, int64, error) {
	return *new([]events.FeedbackRow), *new(int64), f.err
}
func (f *failing) StoredFingerprint(context.Context, *events.EventRow) (fingerprint.Key, error) {
	return *new(fingerprint.Key), f.err
}
func (f *failing) IssueEvent(context.Context, *projects.Project, int64, string) (*events.EventRow, error) {
	return *new(*events.EventRow), f.err
}
func (f *failing) Session(context.Context, int64, string) (*events.SessionRow, error) {
	return *new(*events.SessionRow), f.err
}
func (f *failing) SessionCounts(context.Context, int64, time.Time, time.Time, bool) ([]events.SessionCount, error) {
	return *new([]events.SessionCount), f.err
}
func (f *failing) Sessions(context.Context, events.SessionQuery) ([]*events.SessionRow, *events.SessionCursor, error) {
	return *new([]*events.SessionRow), *new(*events.SessionCursor), f.err
}
func (f *failing) Discard(context.Context, uuid.UUID) error { return f.err }
func (f *failing) Filers(context.Context) (int, error)      { return *new(int), f.err }
func (f *failing) Received(context.Context, int64, time.Time, time.Time) ([]inbox.ReceivedRow, error) {
	return *new([]inbox.ReceivedRow), f.err
}
func (f *failing) ReceivedExamples(context.Context, int64, time.Time) ([]inbox.ReceivedExample, error) {
	return *new([]inbox.ReceivedExample), f.err
}
func (f *failing) Retry(context.Context, uuid.UUID) (int64, error) { return *new(int64), f.err }
func (f *failing) FailedEvents(context.Context, int64, int) ([]inbox.FailedEvent, error) {
	return *new([]inbox.FailedEvent), f.err
}
func (f *failing) FilesSeen(context.Context, int64, string, int) ([]ingest.FileSeen, error) {
	return *new([]ingest.FileSeen), f.err
}
func (f *failing) UnreadReleases(context.Context, int64) ([]ingest.Unread, error) {
	return *new([]ingest.Unread), f.err
}
func (f *failing) CountStates(context.Context, int64) (map[issue.State]int64, error) {
	return *new(map[issue.State]int64), f.err
}
func (f *failing) DecidedOn(context.Context, *projects.Project, int64) (int64, error) {
	return *new(int64), f.err
}
func (f *failing) FingerprintParts(context.Context, int64) ([]fingerprint.Part, error) {
	return *new([]fingerprint.Part), f.err
}
func (f *failing) History(context.Context, int64) ([]issues.HistoryEntry, error) {
	return *new([]issues.HistoryEntry), f.err
}
func (f *failing) Issue(context.Context, *projects.Project, int64) (*issues.Issue, error) {
	return *new(*issues.Issue), f.err
}
func (f *failing) IssueEnvironments(context.Context, int64) ([]issues.Seen, error) {
	return *new([]issues.Seen), f.err
}
func (f *failing) IssueReleases(context.Context, int64) ([]issues.Seen, error) {
	return *new([]issues.Seen), f.err
}
func (f *failing) Issues(context.Context, issues.IssueQuery) ([]*issues.Issue, *issues.IssueCursor, error) {
	return *new([]*issues.Issue), *new(*issues.IssueCursor), f.err
}
func (f *failing) IssuesIn(context.Context, *projects.Project, *releases.ReleaseRow) (issues.InRelease, error) {
	return *new(issues.InRelease), f.err
}
func (f *failing) MergedFrom(context.Context, int64) ([]int64, error)               { return *new([]int64), f.err }
func (f *failing) Arrive(context.Context, int64, moves.Reader, time.Duration) error { return f.err }
func (f *failing) CountFollowed(context.Context, int64, int) (int, error)           { return *new(int), f.err }
func (f *failing) KeptOf(context.Context, *projects.Project, int64, moves.Reader, func(k *moves.Kept) error) error {
	return f.err
}
func (f *failing) Merge(context.Context, *projects.Project, []int64, int64, accounts.Actor) error {
	return f.err
}
func (f *failing) Split(context.Context, *projects.Project, int64, difference.Difference, moves.Reader, accounts.Actor) (int64, error) {
	return *new(int64), f.err
}
func (f *failing) Splits(context.Context, int64) ([]moves.SplitInfo, error) {
	return *new([]moves.SplitInfo), f.err
}
func (f *failing) Carriers(context.Context, int64, sight.Sight) ([]owners.Person, error) {
	return *new([]owners.Person), f.err
}
func (f *failing) Counters(context.Context) (map[int64]overview.Counter, error) {
	return *new(map[int64]overview.Counter), f.err
}
func (f *failing) FixedBefore(context.Context, []int64) (map[int64][]string, error) {
	return *new(map[int64][]string), f.err
}
func (f *failing) AtOneMoment(context.Context, func(overview.Moment) error) error { return f.err }
func (f *failing) Inbox(context.Context) (overview.InboxState, error) {
	return *new(overview.InboxState), f.err
}
func (f *failing) Overview(context.Context, int64) (*overview.Overview, error) {
	return *new(*overview.Overview), f.err
}
func (f *failing) AddKey(context.Context, int64, string, bool) (*projects.Key, error) {
	return *new(*projects.Key), f.err
}
func (f *failing) ChangeProject(context.Context, int64, projects.ProjectChange) error { return f.err }
func (f *failing) CreateProject(context.Context, projects.NewProject) (*projects.Project, *projects.Key, error) {
	return *new(*projects.Project), *new(*projects.Key), f.err
}
func (f *failing) Keys(context.Context, int64) ([]projects.Key, error) {
	return *new([]projects.Key), f.err
}
func (f *failing) Project(context.Context, string) (*projects.Project, error) {
	return *new(*projects.Project), f.err
}
func (f *failing) ProjectByID(context.Context, int64) (*projects.Project, error) {
	return *new(*projects.Project), f.err
}
func (f *failing) Projects(context.Context, sight.Sight) ([]*projects.Project, error) {
	return *new([]*projects.Project), f.err
}
func (f *failing) ProjectsWithRulesOff(context.Context, sight.Sight) (map[string][]string, error) {
	return *new(map[string][]string), f.err
}
func (f *failing) PushRules(context.Context, int64, string, string, int, accounts.Actor) (*projects.RulesFile, error) {
	return *new(*projects.RulesFile), f.err
}
func (f *failing) RevokeKey(context.Context, int64, string) (*projects.Key, error) {
	return *new(*projects.Key), f.err
}
func (f *failing) RotateKey(context.Context, int64, string, time.Duration) (*projects.Key, error) {
	return *new(*projects.Key), f.err
}
func (f *failing) Rules(context.Context, int64, int) (*projects.RulesFile, error) {
	return *new(*projects.RulesFile), f.err
}
func (f *failing) RulesHistory(context.Context, int64, int) ([]projects.RulesFile, error) {
	return *new([]projects.RulesFile), f.err
}
func (f *failing) RulesOff(context.Context, int64, int) ([]projects.RuleOff, error) {
	return *new([]projects.RuleOff), f.err
}
func (f *failing) Totals(context.Context, int64) (projects.Totals, error) {
	return *new(projects.Totals), f.err
}
func (f *failing) Regroup(context.Context, *projects.Project, accounts.Actor) (*regrouping.Regrouping, error) {
	return *new(*regrouping.Regrouping), f.err
}
func (f *failing) Regrouping(context.Context, *projects.Project, int64) (*regrouping.Regrouping, error) {
	return *new(*regrouping.Regrouping), f.err
}
func (f *failing) Regroupings(context.Context, int64, int) ([]*regrouping.Regrouping, error) {
	return *new([]*regrouping.Regrouping), f.err
}
func (f *failing) StopRegroup(context.Context, *projects.Project, accounts.Actor) error { return f.err }
func (f *failing) UndoRegroup(context.Context, *projects.Project, accounts.Actor) (*regrouping.Regrouping, error) {
	return *new(*regrouping.Regrouping), f.err
}
func (f *failing) WantGrouping(context.Context, int64, int) error { return f.err }
func (f *failing) Bundles(context.Context, int64) ([]releases.Bundle, error) {
	return *new([]releases.Bundle), f.err
}
func (f *failing) Commits(context.Context, int64, []string) ([]commits.Commit, error) {
	return *new([]commits.Commit), f.err
}
func (f *failing) CountCommits(context.Context, int64) (int64, int64, error) {
	return *new(int64), *new(int64), f.err
}
func (f *failing) Graph(context.Context, int64) (*commits.Graph, error) {
	return *new(*commits.Graph), f.err
}
func (f *failing) OrderOf(context.Context, *projects.Project, string, string) (release.Order, error) {
	return *new(release.Order), f.err
}
func (f *failing) Release(context.Context, *projects.Project, string) (*releases.ReleaseRow, error) {
	return *new(*releases.ReleaseRow), f.err
}
func (f *failing) ReleaseBefore(context.Context, *projects.Project, *releases.ReleaseRow) (*releases.ReleaseRow, release.Order, error) {
	return *new(*releases.ReleaseRow), *new(release.Order), f.err
}
func (f *failing) Releases(context.Context, *projects.Project) ([]*releases.ReleaseRow, error) {
	return *new([]*releases.ReleaseRow), f.err
}
func (f *failing) Delete(context.Context, int64, int64, accounts.Actor) (retention.Deletion, error) {
	return *new(retention.Deletion), f.err
}
func (f *failing) Erase(context.Context, *projects.Project, string, string) (*retention.Erasure, error) {
	return *new(*retention.Erasure), f.err
}
func (f *failing) ErasureState(context.Context, int64, int64) (*retention.Erasure, error) {
	return *new(*retention.Erasure), f.err
}
func (f *failing) Against(context.Context, find.FacetAsk) (*find.Against, error) { return nil, f.err }
func (f *failing) Attributes(context.Context, int64) ([]segments.Attribute, int, error) {
	return nil, 0, f.err
}
func (f *failing) DropAttribute(context.Context, *projects.Project, string, bool) error { return f.err }
func (f *failing) Complete(context.Context, *projects.Project, find.Asker, string, int, int) (*find.Completion, error) {
	return nil, f.err
}
func (f *failing) DeleteSaved(context.Context, int64, int64, string, bool) error { return f.err }
func (f *failing) FindEvents(context.Context, find.EventAsk) (*find.EventPage, error) {
	return nil, f.err
}
func (f *failing) Affected(context.Context, find.Ask) (*find.Affected, error) { return nil, f.err }
func (f *failing) CountIssues(context.Context, find.IssueAsk) (int, bool, error) {
	return 0, false, f.err
}
func (f *failing) EventPlace(context.Context, find.Ask, string, *events.EventRow) (*events.EventRow, find.Place, error) {
	return nil, find.Place{}, f.err
}
func (f *failing) Check(context.Context, health.Ask, string, health.Gate) (*health.Checked, error) {
	return nil, f.err
}
func (f *failing) Compare(context.Context, health.Ask, find.Asker, string, string) (*health.Comparison, error) {
	return nil, f.err
}
func (f *failing) Devices(context.Context, health.Ask, string) ([]sessions.Trait, error) {
	return nil, f.err
}
func (f *failing) Environments(context.Context, health.Ask, *health.Release) ([]health.Environment, error) {
	return nil, f.err
}
func (f *failing) Hits(context.Context, health.Ask, string) ([]health.Hit, int64, error) {
	return nil, 0, f.err
}
func (f *failing) CountSessions(context.Context, *projects.Project, time.Time, time.Time) (int64, error) {
	return 0, f.err
}
func (f *failing) Newest(context.Context, *projects.Project) (*health.Newest, error) {
	return nil, f.err
}
func (f *failing) Quality(context.Context, health.Ask, string) (*health.Release, health.Window, error) {
	return nil, health.Window{}, f.err
}
func (f *failing) Qualities(context.Context, health.Ask) ([]*health.Release, health.Window, error) {
	return nil, health.Window{}, f.err
}
func (f *failing) Uptake(context.Context, health.Ask) ([]sessions.Hour, map[int64]string, int64, error) {
	return nil, nil, 0, f.err
}
func (f *failing) Trail(context.Context, trails.Ask) (*trails.Page, error)     { return nil, f.err }
func (f *failing) Facets(context.Context, find.FacetAsk) (*find.Facets, error) { return nil, f.err }
func (f *failing) Histogram(context.Context, find.HistogramAsk) (*find.Histogram, error) {
	return nil, f.err
}
func (f *failing) FindIssues(context.Context, find.IssueAsk) (*find.IssuePage, error) {
	return nil, f.err
}
func (f *failing) Save(context.Context, find.Ask, find.Saved, accounts.Actor) ([]string, error) {
	return nil, f.err
}
func (f *failing) SavedNamed(context.Context, int64, int64, string) (find.Saved, error) {
	return find.Saved{}, f.err
}
func (f *failing) SavedSearches(context.Context, int64, int64) ([]find.Saved, error) {
	return nil, f.err
}
func (f *failing) User(context.Context, *projects.Project, find.Asker, string) (*find.User, error) {
	return nil, f.err
}
func (f *failing) Users(context.Context, find.UsersAsk) (*find.UserPage, error) { return nil, f.err }
func (f *failing) Recount(context.Context) ([]retention.Difference, int, error) {
	return *new([]retention.Difference), *new(int), f.err
}
func (f *failing) Repair(context.Context, []retention.Difference) (int, error) {
	return *new(int), f.err
}
func (f *failing) WhatGoes(context.Context, int64) (retention.Deletion, error) {
	return *new(retention.Deletion), f.err
}
func (f *failing) PartitionState(context.Context) (schema.Partitions, error) {
	return *new(schema.Partitions), f.err
}
func (f *failing) Promises(context.Context) (schema.Promises, error) {
	return *new(schema.Promises), f.err
}
func (f *failing) Scoring(context.Context, int64) (*scoring.Scoring, error) {
	return *new(*scoring.Scoring), f.err
}
func (f *failing) SetScoring(context.Context, int64, impact.Weights, surge.Thresholds) error {
	return f.err
}
func (f *failing) Try(context.Context, int64, impact.Weights, int) ([]scoring.Rank, []scoring.Rank, int, error) {
	return *new([]scoring.Rank), *new([]scoring.Rank), *new(int), f.err
}
func (f *failing) Elsewhere(context.Context, int64, sight.Sight) ([]similar.Elsewhere, error) {
	return *new([]similar.Elsewhere), f.err
}
func (f *failing) GroupingDays(context.Context, int64, int) ([]similar.GroupingDay, error) {
	return *new([]similar.GroupingDay), f.err
}
func (f *failing) KeptSince(context.Context, int64, time.Time, int) (int, error) {
	return *new(int), f.err
}
func (f *failing) NoteGrouping(context.Context, int64, []review.Issue, []int64, review.CauseOf) error {
	return f.err
}
func (f *failing) Observe(context.Context, int64, time.Time, int, func(o *similar.Observation) error) (int64, error) {
	return *new(int64), f.err
}
func (f *failing) ReviewIssues(context.Context, int64) ([]review.Issue, []int64, error) {
	return *new([]review.Issue), *new([]int64), f.err
}
func (f *failing) Similar(context.Context, *projects.Project, int64) ([]similar.Similar, error) {
	return *new([]similar.Similar), f.err
}
func (f *failing) Together(context.Context, *projects.Project, int64, sight.Sight) ([]similar.NearIssue, error) {
	return *new([]similar.NearIssue), f.err
}
func (f *failing) Unsketched(context.Context, int64) (int64, error) { return *new(int64), f.err }
func (f *failing) Announce(context.Context, *projects.Project, string, string, accounts.Actor) (*releases.ReleaseRow, error) {
	return *new(*releases.ReleaseRow), f.err
}
func (f *failing) MarkDeployed(context.Context, *projects.Project, string, string, time.Time, accounts.Actor) (*releases.ReleaseRow, error) {
	return *new(*releases.ReleaseRow), f.err
}
func (f *failing) Notices(context.Context, int64, sight.Sight, bool, int64, int) ([]status.Notice, int64, error) {
	return *new([]status.Notice), *new(int64), f.err
}
func (f *failing) SeeNotices(context.Context, int64, sight.Sight, int64) error { return f.err }
func (f *failing) AddSymbolFiles(context.Context, int64, string, []symbolstore.PushedFile) (symbolstore.Pushed, error) {
	return *new(symbolstore.Pushed), f.err
}
func (f *failing) HaveSymbols(context.Context, int64, [][32]byte) (map[[32]byte]bool, error) {
	return *new(map[[32]byte]bool), f.err
}
func (f *failing) ListSymbols(context.Context, int64, string, int) ([]symbolstore.SymbolListing, error) {
	return *new([]symbolstore.SymbolListing), f.err
}
func (f *failing) NeedSymbols(context.Context, int64, [][32]byte) error { return f.err }
func (f *failing) PartsOf(context.Context, int64, [][32]byte) (map[[32]byte][]int, error) {
	return *new(map[[32]byte][]int), f.err
}
func (f *failing) PutSymbolPart(context.Context, int64, [32]byte, int64, int, []byte) (bool, error) {
	return *new(bool), f.err
}
func (f *failing) PutSymbols(context.Context, int64, [][]byte) ([][32]byte, error) {
	return *new([][32]byte), f.err
}
func (f *failing) SymbolCosts(context.Context, int64, string, int) ([]symbolstore.SymbolCost, error) {
	return *new([]symbolstore.SymbolCost), f.err
}
func (f *failing) SymbolUnit(context.Context, int64) (pipeline.SymbolUnit, error) {
	return *new(pipeline.SymbolUnit), f.err
}
func (f *failing) Act(context.Context, int64, issue.Action, string, accounts.Actor, int64) error {
	return f.err
}
func (f *failing) ActMany(context.Context, *projects.Project, triage.Many, issue.Action, string, accounts.Actor) (*triage.ManyDone, error) {
	return *new(*triage.ManyDone), f.err
}
func (f *failing) AddComment(context.Context, int64, string, accounts.Actor, int64) (int64, error) {
	return *new(int64), f.err
}
func (f *failing) Appeared(context.Context, *projects.Project, *issues.Issue, string) (triage.Appearance, error) {
	return *new(triage.Appearance), f.err
}
func (f *failing) BeginRound(context.Context, int64, int64) error { return f.err }
func (f *failing) CarriedBy(context.Context, sight.Sight, int64) ([]triage.Carried, error) {
	return *new([]triage.Carried), f.err
}
func (f *failing) ChangeComment(context.Context, int64, int64, string, accounts.Actor, bool) error {
	return f.err
}
func (f *failing) Comments(context.Context, int64) ([]triage.Comment, error) {
	return *new([]triage.Comment), f.err
}
func (f *failing) CommitOf(context.Context, int64, string) (string, error) {
	return *new(string), f.err
}
func (f *failing) Days(context.Context, int64) ([]issues.TrendDay, error) {
	return *new([]issues.TrendDay), f.err
}
func (f *failing) EndRound(context.Context, int64, []*projects.Project, *accounts.Person) (*triage.RoundEnd, error) {
	return *new(*triage.RoundEnd), f.err
}
func (f *failing) EventOf(context.Context, int64, string) (*events.EventRow, error) {
	return *new(*events.EventRow), f.err
}
func (f *failing) Find(context.Context, *projects.Project, triage.Many) (map[int64]int64, error) {
	return *new(map[int64]int64), f.err
}
func (f *failing) HandOver(context.Context, []*projects.Project, *accounts.Person, *accounts.Person, string, accounts.Actor) ([]triage.HandedIn, error) {
	return nil, f.err
}
func (f *failing) Holding(context.Context, int64, int64, issue.Status) (*silence.Holding, error) {
	return *new(*silence.Holding), f.err
}
func (f *failing) Marks(context.Context, int64, time.Time, time.Time) ([]triage.Mark, error) {
	return *new([]triage.Mark), f.err
}
func (f *failing) Pass(context.Context, int64, time.Time, []triage.IssueName) error { return f.err }
func (f *failing) Queue(context.Context, int64, []*projects.Project, int64, int) (*triage.Round, error) {
	return *new(*triage.Round), f.err
}
func (f *failing) Settled(context.Context, []triage.IssueName) ([]triage.Settled, error) {
	return *new([]triage.Settled), f.err
}
func (f *failing) UndoMany(context.Context, *projects.Project, int64, accounts.Actor, func(context.Context) error) (*triage.ManyDone, error) {
	return *new(*triage.ManyDone), f.err
}
func (f *failing) Unpass(context.Context, int64, []triage.IssueName) error { return f.err }
func (f *failing) Watch(context.Context, int64, int64, bool) error         { return f.err }
func (f *failing) Watching(context.Context, int64) ([]string, error)       { return *new([]string), f.err }
func (f *failing) Now() time.Time                                          { return time.Now() }
func (f *failing) Usable() error                                           { return nil }
func (f *failing) SawAway(error)                                           {}
