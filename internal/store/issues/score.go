package issues

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"math"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/surge"
	"firethorn/internal/db"
)

// ScoringInputs is what all issues of a project are scored by.
type ScoringInputs struct {
	Version  int64 // grows when the rest changes
	Weights  impact.Weights
	Surge    surge.Thresholds
	Active   int64 // users in the window, as counted
	Sessions int64 // of the window, as counted where no active user is known
	Counted  int64 // when
	NewestID int64
	Newest   string
}

// ScoringInputs reads by what issues of a project are scored now.
func (s *Store) ScoringInputs(ctx context.Context, q db.Querier, project int64) (ScoringInputs, error) {
	b := ScoringInputs{Weights: impact.Default, Surge: surge.Default}
	var weights, thresholds string
	scan := func(r *sql.Rows) (struct{}, error) {
		return struct{}{}, db.ScanNames(r, db.Into{"version": &b.Version, "weights": &weights, "surge": &thresholds,
			"active": &b.Active, "sessions": &b.Sessions, "counted": &b.Counted, "newest": &b.NewestID,
			"name": &b.Newest})
	}
	_, err := db.First(ctx, q, scan, "SELECT b.version, b.weights, b.surge, b.active, b.sessions, b.counted,"+
		" COALESCE(b.newest,0) AS newest, COALESCE(r.name,'') AS name"+
		" FROM scoring b LEFT JOIN app_release r ON r.id=b.newest WHERE b.project=?", project)
	if errors.Is(err, sql.ErrNoRows) {
		return b, nil
	}
	if err != nil {
		return b, err
	}
	return b, errors.Join(json.Unmarshal([]byte(weights), &b.Weights), json.Unmarshal([]byte(thresholds), &b.Surge))
}

// Scored is what of an issue its score is made from.
type Scored struct {
	Users, Events int64 // in the window
	Recent        int64 // events of its last days
	FirstSeen     int64
	FirstRelease  int64
	Unhandled     bool
	State         issue.State
	Severity      string // as the events say
	Grade         string // as a person says
}

// Score computes the impact of an issue.
func (b ScoringInputs) Score(x Scored, now time.Time) impact.Score {
	f := impact.Facts{
		Users: x.Users, Events: x.Events, Active: b.Active, Sessions: b.Sessions, Recent: x.Recent,
		FirstSeen: db.FromMicros(x.FirstSeen),
		Now:       now, Unhandled: x.Unhandled,
		Newest: b.NewestID != 0 &&
			x.FirstRelease == b.NewestID, Release: b.Newest, SomeRelease: x.FirstRelease != 0,
		Regressed: x.State == issue.Regressed, Severity: x.Severity,
	}
	if x.Grade != "" {
		f.Severity, f.ByHand = x.Grade, true
	}
	return impact.Of(f, b.Weights)
}

// never is when a score gets stale that time alone does not change.
const never = math.MaxInt64

// StaleAt is when time alone changes a score next: with the hour while it has
// momentum, with the day while something is in the window.
func StaleAt(score impact.Score, events int64, now time.Time) int64 {
	switch {
	case events == 0:
		return never
	case score.Ages():
		return db.Micros(now.Truncate(time.Hour).Add(time.Hour))
	}
	return db.Micros(now.UTC().Truncate(24*time.Hour).AddDate(0, 0, 1))
}

// FirstRecent is the first of the days that are held against those before.
func FirstRecent(now time.Time) int { return db.Day(now) - impact.RecentDays + 1 }
