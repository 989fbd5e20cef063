package issues

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/impact"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/projects"
)

// Issue is an issue as lists and its page show it.
type Issue struct {
	ID      int64
	Project string
	Number  int64
	StatusRow
	Version                     int64
	Headline, Place, Message    string
	OriginFunction              string
	OriginFile                  string
	OriginLine                  int
	Severity                    string
	Events, Users               int64
	WindowEvents, WindowUsers   int64
	Unhandled                   bool
	Impact                      int64 // in tenths
	FirstSeen, LastSeen         time.Time
	FirstRelease, LastRelease   string
	FirstPosition, LastPosition int64
	Bodies                      int64        // events whose body is kept
	Recounting                  bool         // derived counts are on their way from or to another issue
	Trend                       []TrendDay   // the last 14 days, oldest first, every day there
	Score                       impact.Score // what Impact is made from
	SurgeSince                  time.Time    // zero: it does not surge
	SurgeText                   string
	project, firstRelease       int64
}

// TrendDay is one day (UTC) of an issue.
type TrendDay struct {
	Day           time.Time
	Events, Users int64
}

const issueSelect = "SELECT " + StatusColumns + ", l.issue, p.name AS project_name, i.number, i.version, l.headline, l.place, l.message, l.origin_function, l.origin_file, l.origin_line, l.severity," +
	" l.events, l.users, l.window_events, l.window_users, l.unhandled, l.impact, l.first_seen, l.last_seen, COALESCE(fr.name,'') AS first_release_name, COALESCE(lr.name,'') AS last_release_name, l.first_filing, l.last_filing, l.bodies, l.recounting, l.project, COALESCE(l.first_release,0) AS first_release, l.surge_since, l.surge_text" +
	" FROM %s JOIN issue i ON i.id=l.issue JOIN project p ON p.id=l.project" +
	" LEFT JOIN app_release fr ON fr.id=l.first_release LEFT JOIN app_release lr ON lr.id=l.last_release"

// issuesWhere selects issues by a condition on their row in the list.
func issuesWhere(cond string) string {
	return fmt.Sprintf(issueSelect, "issue_list l") + " WHERE " + cond
}

// IssuesByID reads issues, those of them that are listed.
func (s *Store) IssuesByID(ctx context.Context, ids []any) (map[int64]*Issue, error) {
	found := map[int64]*Issue{}
	if len(ids) == 0 {
		return found, nil
	}
	return found, db.Each(ctx, s.db, func(r *sql.Rows) error {
		is, err := scanIssue(r)
		if err == nil {
			found[is.ID] = is
		}
		return err
	}, issuesWhere("l.issue IN ("+db.Marks(len(ids))+")"), ids...)
}

func scanIssue(r *sql.Rows) (*Issue, error) {
	var is Issue
	var first, last int64
	var surge sql.NullInt64
	err := ScanStatus(r, &is.StatusRow, db.Into{"issue": &is.ID, "project_name": &is.Project, "number": &is.Number,
		"version": &is.Version, "headline": &is.Headline, "place": &is.Place, "message": &is.Message,
		"origin_function": &is.OriginFunction, "origin_file": &is.OriginFile, "origin_line": &is.OriginLine,
		"severity": &is.Severity, "events": &is.Events, "users": &is.Users, "window_events": &is.WindowEvents,
		"window_users": &is.WindowUsers, "unhandled": &is.Unhandled, "impact": &is.Impact, "first_seen": &first,
		"last_seen": &last, "first_release_name": &is.FirstRelease, "last_release_name": &is.LastRelease,
		"first_filing": &is.FirstPosition, "last_filing": &is.LastPosition, "bodies": &is.Bodies,
		"recounting": &is.Recounting, "project": &is.project, "first_release": &is.firstRelease,
		"surge_since": &surge, "surge_text": &is.SurgeText})
	is.FirstSeen, is.LastSeen = db.FromMicros(first), db.FromMicros(last)
	if surge.Valid {
		is.SurgeSince = db.FromMicros(surge.Int64)
	}
	return &is, err
}

// AddTrends fills the last 14 days of each issue, and the arithmetic of its
// impact.
func (s *Store) AddTrends(ctx context.Context, list []*Issue) error {
	if len(list) == 0 {
		return nil
	}
	start := db.Day(s.db.Now()) - impact.Window + 1
	byID := map[int64]*Issue{}
	args := []any{start}
	for _, is := range list {
		byID[is.ID] = is
		args = append(args, is.ID)
		is.Trend = make([]TrendDay, impact.Window)
		for i := range is.Trend {
			is.Trend[i].Day = time.Unix(int64(start+i)*86400, 0).UTC()
		}
	}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var day int
		var d TrendDay
		if err := r.Scan(&id, &day, &d.Events, &d.Users); err != nil {
			return err
		}
		if i := day - start; i >= 0 && i < impact.Window {
			d.Day = byID[id].Trend[i].Day
			byID[id].Trend[i] = d
		}
		return nil
	}, "SELECT issue, day, events, users FROM issue_trend WHERE day>=? AND issue IN ("+db.Marks(len(list))+")", args...)
	if err != nil {
		return err
	}
	return s.addScores(ctx, list)
}

func (s *Store) addScores(ctx context.Context, list []*Issue) error {
	by := map[int64]ScoringInputs{}
	now := s.db.Now().UTC()
	for _, is := range list {
		b, ok := by[is.project]
		if !ok {
			var err error
			if b, err = s.ScoringInputs(ctx, s.db, is.project); err != nil {
				return err
			}
			by[is.project] = b
		}
		x := Scored{
			Users: is.WindowUsers, Events: is.WindowEvents, FirstSeen: db.Micros(is.FirstSeen),
			FirstRelease: is.firstRelease,
			Unhandled:    is.Unhandled, State: is.State, Severity: is.Severity, Grade: is.Status.Severity,
		}
		for _, d := range is.Trend[len(is.Trend)-impact.RecentDays:] {
			x.Recent += d.Events
		}
		is.Score = b.Score(x, now)
	}
	return nil
}

// Issue finds one issue; a merged-away number leads to where it went.
func (s *Store) Issue(ctx context.Context, project *projects.Project, number int64) (*Issue, error) {
	id, into, err := s.IssueID(ctx, project, number)
	if err != nil {
		return nil, err
	}
	for hops := 0; into != 0 && hops < 100; hops++ {
		id = into
		var next sql.NullInt64
		if err := s.db.QueryRowContext(ctx, "SELECT merged_into FROM issue WHERE id=?", id).Scan(&next); err != nil {
			return nil, err
		}
		into = next.Int64
	}
	is, err := db.First(ctx, s.db, scanIssue, issuesWhere("l.issue=?"), id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "issue %s/%d leads to %s, which was deleted", project.Name, number,
			s.IssueName(ctx, s.db, id))
	}
	if err != nil {
		return nil, err
	}
	return is, s.AddTrends(ctx, []*Issue{is})
}

// ByID is the issue of an id, without its trend; nil where it was merged away or deleted.
func (s *Store) ByID(ctx context.Context, id int64) (*Issue, error) {
	is, err := db.First(ctx, s.db, scanIssue, issuesWhere("l.issue=?"), id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return is, err
}

// IssueID finds the issue of a number itself, and where it was merged into: 0
// when it was not.
func (s *Store) IssueID(ctx context.Context, project *projects.Project, number int64) (id, into int64, err error) {
	var merged, deleted sql.NullInt64
	var by string
	err = s.db.QueryRowContext(ctx, "SELECT id, merged_into, deleted, deleted_by FROM issue WHERE project=? AND number=?", project.ID, number).Scan(&id, &merged, &deleted, &by)
	if errors.Is(err, sql.ErrNoRows) {
		err = problem.New(problem.NotFound, "there is no issue %s/%d", project.Name, number)
	}
	if deleted.Valid {
		err = problem.New(problem.NotFound, "issue %s/%d was deleted by %s on %s; its events are gone", project.Name,
			number, by, db.FromMicros(deleted.Int64).Format("2006-01-02"))
	}
	return id, merged.Int64, err
}

// DecidedOn is the issue that an undo under a number means: a merged-away one
// itself, whose newest decision is the merge.
func (s *Store) DecidedOn(ctx context.Context, project *projects.Project, number int64) (int64, error) {
	id, _, err := s.IssueID(ctx, project, number)
	return id, err
}

// MergedFrom lists the numbers that lead to an issue since they were merged;
// not those of splits that were undone.
func (s *Store) MergedFrom(ctx context.Context, id int64) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT i.number FROM issue i WHERE i.merged_into=? AND EXISTS (SELECT 1 FROM move m WHERE m.from_issue=i.id AND m.kind IN ('merge','follow','join') AND m.undone_by IS NULL) ORDER BY i.number", id)
}

// Seen is how often an issue was seen in a release or environment.
type Seen struct {
	Name                string
	Events              int64
	FirstSeen, LastSeen time.Time
}

// IssueReleases lists the releases an issue was seen in, last seen first.
func (s *Store) IssueReleases(ctx context.Context, id int64) ([]Seen, error) {
	return s.seen(ctx, "SELECT n.name, SUM(x.events), MIN(x.first_seen), MAX(x.last_seen) FROM issue_release x JOIN app_release n ON n.id=x.app_release WHERE x.issue=? GROUP BY n.id ORDER BY 4 DESC LIMIT 100", id)
}

// IssueEnvironments lists the environments an issue was seen in, most events first.
func (s *Store) IssueEnvironments(ctx context.Context, id int64) ([]Seen, error) {
	return s.seen(ctx, "SELECT n.name, SUM(x.events), MIN(x.first_seen), MAX(x.last_seen) FROM issue_env x JOIN environment n ON n.id=x.environment WHERE x.issue=? GROUP BY n.id ORDER BY 2 DESC LIMIT 100", id)
}

func (s *Store) seen(ctx context.Context, query string, id int64) ([]Seen, error) {
	var out []Seen
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var x Seen
		var first, last int64
		err := r.Scan(&x.Name, &x.Events, &first, &last)
		x.FirstSeen, x.LastSeen = db.FromMicros(first), db.FromMicros(last)
		out = append(out, x)
		return err
	}, query, id)
	return out, err
}

// FingerprintParts says what an issue's first variant was made from.
func (s *Store) FingerprintParts(ctx context.Context, id int64) ([]fingerprint.Part, error) {
	var text string
	var parts []fingerprint.Part
	err := s.db.QueryRowContext(ctx, "SELECT parts FROM variant WHERE issue=? ORDER BY id LIMIT 1", id).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return parts, json.Unmarshal([]byte(text), &parts)
}

// HistoryEntry is one line of an issue's history.
type HistoryEntry struct {
	ID               int64
	At               time.Time
	ActorKind, Actor string // "person", "token" or "service"
	Kind, Text       string
	Why              string
	Detail           json.RawMessage // what it is about beside its words; nil for nothing
	Release          string          // that it is about
	Bulk             int64           // decided with others
	Undone           bool
	CanUndo          bool
}

// History lists what happened to an issue, newest first.
func (s *Store) History(ctx context.Context, id int64) ([]HistoryEntry, error) {
	var out []HistoryEntry
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var h HistoryEntry
		var at int64
		var can bool
		var detail sql.NullString
		err := db.ScanNames(r,
			db.Into{"id": &h.ID, "at": &at, "actor_kind": &h.ActorKind, "actor": &h.Actor, "kind": &h.Kind,
				"text": &h.Text, "can_undo": &can, "undone": &h.Undone, "why": &h.Why, "detail": &detail,
				"release_name": &h.Release, "bulk": &h.Bulk})
		if detail.Valid {
			h.Detail = json.RawMessage(detail.String)
		}
		h.At, h.CanUndo = db.FromMicros(at), can && !h.Undone
		out = append(out, h)
		return err
	}, "SELECT h.id, h.at, h.actor_kind, h.actor, h.kind, h.text, h.status_before IS NOT NULL OR h.move IS NOT NULL AS can_undo, h.undone, h.why, h.detail, COALESCE(r.name,'') AS release_name, COALESCE(h.bulk,0) AS bulk"+
		" FROM history h LEFT JOIN app_release r ON r.id=h.app_release WHERE h.issue=? ORDER BY h.id DESC LIMIT 500", id)
	return out, err
}

// IssueName is how an issue is called in words for people: quayside/3.
func (s *Store) IssueName(ctx context.Context, q db.Querier, id int64) string {
	var project string
	var number int64
	if q.QueryRowContext(ctx, "SELECT p.name, i.number FROM issue i JOIN project p ON p.id=i.project WHERE i.id=?", id).Scan(&project, &number) != nil {
		return "another issue"
	}
	return fmt.Sprintf("%s/%d", project, number)
}
