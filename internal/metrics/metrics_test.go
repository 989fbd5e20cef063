package metrics

import (
	"context"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/usecase/overview"
)

type store struct{}

func (store) Pools() map[string]db.PoolUse {
	return map[string]db.PoolUse{"quick": {Open: 3, InUse: 2, Limit: 16, Waited: 1500 * time.Millisecond}}
}

func (store) Drops(context.Context) (map[string]int64, error) {
	return map[string]int64{"expired": 3}, nil
}

func TestHandler_ShowsWhatWasCounted(t *testing.T) {
	m := New(store{}, store{})
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	m.Stored(7)
	m.Refused(2, "unreadable")
	m.Rejected("inbox_long")
	m.Processed(5, 1, 1, 300*time.Millisecond)
	m.DatabaseAway()
	m.Inbox(overview.InboxState{Events: 40, Failed: 1, Following: 2, Oldest: now.Add(-90 * time.Second)}, now)
	w := httptest.NewRecorder()
	m.Handler().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	text := w.Body.String()
	for _, want := range []string{
		"firethorn_events_stored_total 7", "firethorn_events_filed_total 5", "firethorn_events_repeated_total 1", `firethorn_events_refused_total{cause="unreadable"} 2`,
		`firethorn_requests_turned_away_total{cause="inbox_long"} 1`, `firethorn_requests_turned_away_total{cause="database_away"} 0`, "firethorn_events_set_aside_total 1", `firethorn_events_dropped_total{cause="expired"} 3`,
		"firethorn_inbox_events 40", "firethorn_inbox_oldest_seconds 90", "firethorn_set_aside_events 1", "firethorn_moves_following 2", "firethorn_database_up 1", "firethorn_database_errors_total 1",
		`firethorn_filing_seconds_bucket{le="0.25"} 0`, `firethorn_filing_seconds_bucket{le="0.5"} 1`, `firethorn_database_connections_in_use{pool="quick"} 2`, `firethorn_database_wait_seconds_total{pool="quick"} 1.5`,
	} {
		if !strings.Contains(text, want+"\n") {
			t.Errorf("the metrics lack %s", want)
		}
	}
}
