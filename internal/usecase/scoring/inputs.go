package scoring

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/core/surge"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sessions"
)

// Scoring is by what a project's issues are scored, and when they surge.
type Scoring struct {
	Weights impact.Weights
	Surge   surge.Thresholds
	Active  int64     // users who were active in the window, when they were counted last
	Counted time.Time // zero: not yet
	Newest  string    // the newest release that anything was seen of, "" for none
	Stale   int64     // issues that are being scored again
}

// Scoring tells it.
func (s *Service) Scoring(ctx context.Context, project int64) (*Scoring, error) {
	b, err := s.issues.ScoringInputs(ctx, s.db, project)
	if err != nil {
		return nil, err
	}
	out := &Scoring{Weights: b.Weights, Surge: b.Surge, Active: b.Active, Newest: b.Newest}
	if b.Counted > 0 {
		out.Counted = db.FromMicros(b.Counted)
	}
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM issue_list FORCE INDEX (scored) WHERE project=? AND scoring_version<?", project, b.Version).Scan(&out.Stale)
	return out, err
}

// SetScoring changes it. Issues are scored again in the background.
func (s *Service) SetScoring(ctx context.Context, project int64, w impact.Weights, t surge.Thresholds) error {
	weights, err := json.Marshal(w)
	if err != nil {
		return err
	}
	thresholds, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "INSERT INTO scoring (project, version, weights, surge) VALUES (?,1,?,?) ON DUPLICATE KEY UPDATE version=version+IF(weights=VALUES(weights),0,1), weights=VALUES(weights), surge=VALUES(surge)", project, string(weights), string(thresholds))
		if err != nil {
			return err
		}
		return projects.Record(ctx, tx, s.db.Now(), project, audit.Act{Action: "impact changed",
			After: map[string]json.RawMessage{"weights": weights, "surge": thresholds}})
	})
}

// Rank is an issue's place in the list, and what puts it there.
type Rank struct {
	Issue *issues.Issue
	Score impact.Score
	Place int // from 1
}

// Try ranks the open issues of a project by its weights and by others: the
// first most of each order. all is how many there are.
func (s *Service) Try(ctx context.Context, project int64, w impact.Weights,
	limit int) (before, after []Rank, all int, err error) {
	b, err := s.issues.ScoringInputs(ctx, s.db, project)
	if err != nil {
		return nil, nil, 0, err
	}
	c := b
	c.Weights = w
	now := s.db.Now().UTC()
	var old, fresh []ranked
	recent := map[int64]int64{}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id, n int64
		err := r.Scan(&id, &n)
		recent[id] = n
		return err
	}, "SELECT t.issue, SUM(t.events) FROM issue_list l FORCE INDEX (by_impact) JOIN issue_trend t ON t.issue=l.issue AND t.day>=? WHERE l.project=? AND l.state IN ('new','accepted','regressed') GROUP BY t.issue", issues.FirstRecent(now), project)
	if err != nil {
		return nil, nil, 0, err
	}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var x issues.Scored
		err := db.ScanNames(r,
			db.Into{"issue": &id, "state": &x.State, "window_users": &x.Users, "window_events": &x.Events,
				"unhandled": &x.Unhandled, "first_seen": &x.FirstSeen, "first_release": &x.FirstRelease,
				"severity": &x.Severity, "grade": &x.Grade})
		x.Recent = recent[id]
		old, fresh = keep(old, ranked{id, b.Score(x, now)}, limit), keep(fresh, ranked{id, c.Score(x, now)}, limit)
		all++
		return err
	}, "SELECT l.issue, l.state, l.window_users, l.window_events, l.unhandled, l.first_seen, COALESCE(l.first_release,0) AS first_release, l.severity, i.severity AS grade FROM issue_list l FORCE INDEX (by_impact) JOIN issue i ON i.id=l.issue WHERE l.project=? AND l.state IN ('new','accepted','regressed')", project)
	if err != nil {
		return nil, nil, 0, err
	}
	if before, err = s.ranks(ctx, old); err == nil {
		after, err = s.ranks(ctx, fresh)
	}
	return before, after, all, err
}

// ranked is an issue with its score.
type ranked struct {
	id    int64
	score impact.Score
}

// keep puts an issue in its place among the first most.
func keep(list []ranked, x ranked, limit int) []ranked {
	i := len(list)
	for i > 0 && (list[i-1].score.Points < x.score.Points || list[i-1].score.Points == x.score.Points &&
		list[i-1].id < x.id) {
		i--
	}
	if i >= limit {
		return list
	}
	list = append(list, ranked{})
	copy(list[i+1:], list[i:])
	list[i] = x
	return list[:min(len(list), limit)]
}

func (s *Service) ranks(ctx context.Context, list []ranked) ([]Rank, error) {
	args := make([]any, len(list))
	for i, x := range list {
		args[i] = x.id
	}
	found, err := s.issues.IssuesByID(ctx, args)
	var out []Rank
	for i, x := range list {
		if is := found[x.id]; is != nil {
			out = append(out, Rank{is, x.score, i + 1})
		}
	}
	return out, err
}

// countEvery is how often active users are counted, where they are many.
const countEvery = time.Hour

// RefreshInputs counts a project's active users, or its sessions where no user is known, and
// finds its newest release. All issues are scored again when one of them has changed: a
// number by a tenth at least.
func (s *Service) RefreshInputs(ctx context.Context, project int64) error {
	b, err := s.issues.ScoringInputs(ctx, s.db, project)
	if err != nil {
		return err
	}
	now := s.db.Now()
	active, counted := b.Active, b.Sessions
	if b.Active < 1000 || now.Sub(db.FromMicros(b.Counted)) >= countEvery {
		if err := s.db.Slow.QueryRowContext(ctx, "SELECT COUNT(*) FROM active_user FORCE INDEX (by_day) WHERE project=? AND last_day>=?", project, issues.WindowStart(now)).Scan(&active); err != nil {
			return err
		}
		if counted = 0; active == 0 {
			of, err := sessions.Counts(ctx, s.db.Slow, sessions.Query{Project: project,
				From: time.Unix(int64(issues.WindowStart(now))*86400, 0), To: now.Add(time.Hour)})
			if err != nil {
				return err
			}
			for _, n := range of {
				counted += n.All()
			}
		}
		b.Counted = db.Micros(now)
	}
	// Nothing is locked: what is scored meanwhile by the basis that goes is found
	// by its generation.
	newest, err := s.newestSeen(ctx, s.db.Slow, project)
	if err != nil {
		return err
	}
	alike := func(now, before int64) bool { return max(now-before, before-now)*10 <= before }
	same := alike(active, b.Active) && alike(counted, b.Sessions)
	if same && newest == b.NewestID {
		_, err := s.db.Slow.ExecContext(ctx, "UPDATE scoring SET counted=? WHERE project=?", b.Counted, project)
		return err
	}
	if same {
		active, counted = b.Active, b.Sessions
	}
	_, err = s.db.Slow.ExecContext(ctx, "INSERT INTO scoring (project, version, active, sessions, counted, newest) VALUES (?,1,?,?,?,?) ON DUPLICATE KEY UPDATE version=version+1, active=VALUES(active), sessions=VALUES(sessions), counted=VALUES(counted), newest=VALUES(newest)",
		project, active, counted, b.Counted, db.NullID(newest))
	return err
}

// Scorable lists the projects, to keep what they are scored by current.
func (s *Service) Scorable(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT id FROM project")
}

// newestSeen is the newest release that sent anything or was
// deployed, 0 when there is none: a build that was only announced makes nothing
// else old.
func (s *Service) newestSeen(ctx context.Context, q db.Querier, project int64) (int64, error) {
	k, err := s.releases.Facts(ctx, q, project)
	if err != nil {
		return 0, err
	}
	list, err := s.releases.Ordered(ctx, q, project, k)
	if err != nil {
		return 0, err
	}
	for i := len(list) - 1; i >= 0 && i >= len(list)-50; i-- {
		var id int64
		err := q.QueryRowContext(ctx, "SELECT COALESCE((SELECT r.id FROM app_release r WHERE r.project=? AND r.hash=? AND (r.announced IS NULL OR EXISTS (SELECT 1 FROM issue_release x WHERE x.app_release=r.id) OR EXISTS (SELECT 1 FROM deploy d WHERE d.app_release=r.id))),0)",
			project, db.Hash16(list[i].Version)).Scan(&id)
		if err != nil || id != 0 {
			return id, err
		}
	}
	return 0, nil
}
