package mariadb

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/core/surge"
)

// Scoring is by what a project's issues are scored, and when they surge.
type Scoring struct {
	Weights impact.Weights
	Surge   surge.Thresholds
	Active  int64     // users who were active in the window, when they were counted last
	Counted time.Time // zero: not yet
	Newest  string    // the newest release that anything was seen of, "" for none
	Stale   int64     // issues that are being scored anew
}

// Scoring tells it.
func (s *Store) Scoring(ctx context.Context, project int64) (*Scoring, error) {
	b, err := s.basis(ctx, s.db, project)
	if err != nil {
		return nil, err
	}
	out := &Scoring{Weights: b.weights, Surge: b.surge, Active: b.active, Newest: b.newest}
	if b.counted > 0 {
		out.Counted = fromMicros(b.counted)
	}
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM issue_list FORCE INDEX (scored) WHERE project=? AND basis<?", project, b.generation).Scan(&out.Stale)
	return out, err
}

// SetScoring changes it. Issues are scored anew in the background.
func (s *Store) SetScoring(ctx context.Context, project int64, w impact.Weights, t surge.Thresholds) error {
	weights, err := json.Marshal(w)
	if err != nil {
		return err
	}
	thresholds, err := json.Marshal(t)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, "INSERT INTO scoring (project, generation, weights, surge) VALUES (?,1,?,?) ON DUPLICATE KEY UPDATE generation=generation+IF(weights=VALUES(weights),0,1), weights=VALUES(weights), surge=VALUES(surge)", project, string(weights), string(thresholds))
	return err
}

// Rank is an issue's place in the list, and what puts it there.
type Rank struct {
	Issue *Issue
	Score impact.Score
	Place int // from 1
}

// Try ranks the open issues of a project by its weights and by others: the
// first most of each order. all is how many there are.
func (s *Store) Try(ctx context.Context, project int64, w impact.Weights, most int) (before, after []Rank, all int, err error) {
	b, err := s.basis(ctx, s.db, project)
	if err != nil {
		return nil, nil, 0, err
	}
	c := b
	c.weights = w
	now := s.now().UTC()
	var old, fresh []ranked
	recent := map[int64]int64{}
	err = each(ctx, s.db, func(r *sql.Rows) error {
		var id, n int64
		err := r.Scan(&id, &n)
		recent[id] = n
		return err
	}, "SELECT t.issue, SUM(t.events) FROM issue_list l FORCE INDEX (by_impact) JOIN issue_trend t ON t.issue=l.issue AND t.day>=? WHERE l.project=? AND l.state IN ('new','accepted','regressed') GROUP BY t.issue", firstRecent(now), project)
	if err != nil {
		return nil, nil, 0, err
	}
	err = each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var x scored
		err := r.Scan(&id, &x.state, &x.users, &x.events, &x.unhandled, &x.firstSeen, &x.firstRelease, &x.severity, &x.grade)
		x.recent = recent[id]
		old, fresh = keep(old, ranked{id, b.score(x, now)}, most), keep(fresh, ranked{id, c.score(x, now)}, most)
		all++
		return err
	}, "SELECT l.issue, l.state, l.window_users, l.window_events, l.unhandled, l.first_seen, COALESCE(l.first_release,0), l.severity, i.severity FROM issue_list l FORCE INDEX (by_impact) JOIN issue i ON i.id=l.issue WHERE l.project=? AND l.state IN ('new','accepted','regressed')", project)
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
func keep(list []ranked, x ranked, most int) []ranked {
	i := len(list)
	for i > 0 && (list[i-1].score.Points < x.score.Points || list[i-1].score.Points == x.score.Points && list[i-1].id < x.id) {
		i--
	}
	if i >= most {
		return list
	}
	list = append(list, ranked{})
	copy(list[i+1:], list[i:])
	list[i] = x
	return list[:min(len(list), most)]
}

func (s *Store) ranks(ctx context.Context, list []ranked) ([]Rank, error) {
	args := make([]any, len(list))
	for i, x := range list {
		args[i] = x.id
	}
	found, err := s.issuesByID(ctx, args)
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

// RefreshBasis counts a project's active users and finds its newest release. All
// issues are scored anew when either has changed: the number by a tenth at least.
func (s *Store) RefreshBasis(ctx context.Context, project int64) error {
	b, err := s.basis(ctx, s.db, project)
	if err != nil {
		return err
	}
	now := s.now()
	active := b.active
	if b.active < 1000 || now.Sub(fromMicros(b.counted)) >= countEvery {
		if err := s.slow.QueryRowContext(ctx, "SELECT COUNT(*) FROM active_user FORCE INDEX (by_day) WHERE project=? AND last_day>=?", project, windowStart(now)).Scan(&active); err != nil {
			return err
		}
		b.counted = micros(now)
	}
	// Nothing is locked: what is scored meanwhile by the basis that goes is found
	// by its generation.
	newest, err := s.newestSeen(ctx, s.slow, project)
	if err != nil {
		return err
	}
	same := max(active-b.active, b.active-active)*10 <= b.active
	if same && newest == b.newestID {
		_, err := s.slow.ExecContext(ctx, "UPDATE scoring SET counted=? WHERE project=?", b.counted, project)
		return err
	}
	if same {
		active = b.active
	}
	_, err = s.slow.ExecContext(ctx, "INSERT INTO scoring (project, generation, active, counted, newest) VALUES (?,1,?,?,?) ON DUPLICATE KEY UPDATE generation=generation+1, active=VALUES(active), counted=VALUES(counted), newest=VALUES(newest)",
		project, active, b.counted, nullID(newest))
	return err
}

// Scorable lists the projects, to keep what they are scored by current.
func (s *Store) Scorable(ctx context.Context) ([]int64, error) {
	return numbers(ctx, s.db, "SELECT id FROM project")
}

// newestSeen is the newest release of which anything was seen or that was
// deployed, 0 when there is none: a build that was only announced makes nothing
// else old.
func (s *Store) newestSeen(ctx context.Context, q querier, project int64) (int64, error) {
	k, err := s.known(ctx, q, project)
	if err != nil {
		return 0, err
	}
	list, err := s.ordered(ctx, q, project, k)
	if err != nil {
		return 0, err
	}
	for i := len(list) - 1; i >= 0 && i >= len(list)-50; i-- {
		var id int64
		err := q.QueryRowContext(ctx, "SELECT COALESCE((SELECT r.id FROM app_release r WHERE r.project=? AND r.hash=? AND (r.announced IS NULL OR EXISTS (SELECT 1 FROM issue_release x WHERE x.app_release=r.id) OR EXISTS (SELECT 1 FROM deploy d WHERE d.app_release=r.id))),0)",
			project, hash16(list[i].Version)).Scan(&id)
		if err != nil || id != 0 {
			return id, err
		}
	}
	return 0, nil
}
