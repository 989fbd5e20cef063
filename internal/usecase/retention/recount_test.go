package retention_test

import (
	"testing"

	"firethorn/internal/testbed"
	"firethorn/internal/usecase/retention"
)

func TestRepair_MendsEveryCounter(t *testing.T) {
	b := testbed.Pair(t)
	b.File(testbed.Event{Function: "tideAt", User: "p-1", Release: "4.2.0", At: testbed.Noon.Add(-3 * testbed.Day)})
	b.AddSessions(0, `{"id":"s-1","outcome":"clean"}`)
	before := *b.Issue(1)
	for _, q := range []string{
		"UPDATE session_day SET sessions=7", "UPDATE session_hour SET sessions=7", "UPDATE session_took SET bucket=bucket+1", "UPDATE session_user SET crashed=crashed+1", "UPDATE active_user SET last_day=last_day-1", "UPDATE event_span SET last_position=0", "UPDATE release_total SET events=77", "UPDATE issue_list SET needs_decision_at=0, owner=77", "UPDATE issue SET state='new'",
		"UPDATE issue_list SET events=99, users=98, window_events=97, window_users=96, bodies=95, state='fixed'", "UPDATE variant SET events=5, bodies=7",
		"DELETE FROM issue_user WHERE user=(SELECT MIN(user) FROM event)", "DELETE FROM issue_user_day LIMIT 2",
		"UPDATE issue_hour SET events=events+1", "DELETE FROM issue_day LIMIT 2", "UPDATE issue_release SET events=0", "DELETE FROM issue_env", "UPDATE issue_trend SET events=9, users=9", "UPDATE issue_day SET issue=1+issue%2", "INSERT INTO parked (issue, project) SELECT id, project FROM issue LIMIT 1",
	} {
		if _, err := b.DB.Exec(q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	list, _, err := b.Retention.Recount(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	found := map[string]bool{}
	for _, d := range list {
		found[d.What] = true
	}
	// All but the bodies themselves and what is listed, which were not touched.
	if counts := retention.CountChecks(b.Now); len(found) < counts-2 {
		t.Errorf("only %d kinds of %d differ: %v", len(found), counts, found)
	}
	if n, err := b.Retention.Repair(t.Context(), list); err != nil || n != 2 {
		t.Fatalf("%d issues mended, %v", n, err)
	}
	b.Recounted()
	if is := b.Issue(1); is.Events != before.Events || is.Users != before.Users || is.WindowUsers != before.WindowUsers || is.State != before.State || is.Impact != before.Impact {
		t.Errorf("mended %+v, was %+v", is, before)
	}
}
