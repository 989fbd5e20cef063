package overview

import (
	"context"
	"database/sql"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/usecase/regrouping"
)

// InboxState is how much waits.
type InboxState struct {
	Rows, Events, Failed int64
	Oldest               time.Time // zero when nothing waits
	ByProject            map[int64]int64
	Following            int64 // moves whose derived rows, and splits whose events, are on their way
}

// Inbox says how much waits and how much failed.
func (s *Service) Inbox(ctx context.Context) (InboxState, error) {
	st := InboxState{ByProject: map[int64]int64{}}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var project, rows, events, oldest int64
		if err := r.Scan(&project, &rows, &events, &oldest); err != nil {
			return err
		}
		st.Rows, st.Events = st.Rows+rows, st.Events+events
		st.ByProject[project] = events
		if at := db.FromMicros(oldest); st.Oldest.IsZero() || at.Before(st.Oldest) {
			st.Oldest = at
		}
		return nil
	}, "SELECT project, COUNT(*), SUM(events), MIN(received) FROM inbox FORCE INDEX (waiting) GROUP BY project")
	if err != nil {
		return st, err
	}
	return st, s.db.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM failed_event), (SELECT COUNT(*) FROM move WHERE following=1)+(SELECT COUNT(*) FROM split WHERE looking=1)+(SELECT COUNT(*) FROM regroup WHERE "+regrouping.Works+")").Scan(&st.Failed, &st.Following)
}
