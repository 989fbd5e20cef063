package overview

import (
	"context"
	"database/sql"
	"time"

	"firethorn/internal/core/impact"
	"firethorn/internal/db"
)

// Overview is how a project stands, for a page of all projects.
type Overview struct {
	Days    [impact.Window]int64 // events by the day they were thrown (UTC), the oldest first
	First   time.Time            // the first of these days
	New     int64                // issues nobody decided about
	Surging int64                // issues that occur far more often than before
	Failed  int64                // events that could not be processed and wait
	Newest  string               // the newest release that anything was seen of; "" for none
}

// Overview counts it. Where that takes long the answer is remembered for some
// seconds.
func (s *Service) Overview(ctx context.Context, project int64) (*Overview, error) {
	return s.overviews.Get(project, func() (*Overview, error) { return s.countOverview(ctx, project) })
}

func (s *Service) countOverview(ctx context.Context, project int64) (*Overview, error) {
	today := int64(db.Day(s.db.Now()))
	first := today - impact.Window + 1
	out := &Overview{First: time.Unix(first*86400, 0).UTC()}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var day, events int64
		if err := r.Scan(&day, &events); err != nil {
			return err
		}
		if day >= first && day <= today {
			out.Days[day-first] = events
		}
		return nil
	}, "SELECT t.day, SUM(t.events) FROM issue_list l JOIN issue_trend t ON t.issue=l.issue AND t.day>=? WHERE l.project=? AND l.last_seen>=? GROUP BY t.day", first, project, first*86400_000_000)
	if err != nil {
		return nil, err
	}
	err = s.db.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM issue_list WHERE project=? AND state='new'),"+
		" (SELECT COUNT(*) FROM issue_list FORCE INDEX (surging) WHERE project=? AND surge_since IS NOT NULL),"+
		" (SELECT COUNT(*) FROM failed_event WHERE project=?)", project, project, project).Scan(&out.New, &out.Surging,
		&out.Failed)
	if err != nil {
		return nil, err
	}
	b, err := s.issues.ScoringInputs(ctx, s.db, project)
	out.Newest = b.Newest
	return out, err
}
