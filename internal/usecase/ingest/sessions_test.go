package ingest_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/testbed"
)

func TestSessions_MergeInAnyOrderAndCountOnce(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var all []string
	for i := range 30 {
		for seq, outcome := range []string{"running", "faulty", "clean", "running"} {
			if i%3 == 0 && outcome == "faulty" {
				outcome = "running"
			}
			all = append(all, fmt.Sprintf(`{"id":"s-%d","sequence":%d,"started":"2026-11-23T%02d:00:00Z","duration_ms":%d,"outcome":%q,"resource":{"service.version":"4.2.1"}}`, i, seq, 8+i%3, 1000*seq, outcome))
		}
	}
	all = append(all, all...)
	rand.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	for len(all) > 0 {
		n := min(37, len(all))
		b.AddSessions(5, all[:n]...)
		all = all[n:]
	}
	if got := b.Outcomes(); got != "map[4.2.1 clean:10 4.2.1 faulty:20]" {
		t.Error(got)
	}
	b.Recounted()
	user := int64(5)
	var seen []string
	q := events.SessionQuery{Project: b.Project.ID, User: &user, Limit: 7}
	for {
		list, next, err := b.Events.Sessions(t.Context(), q)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range list {
			seen = append(seen, s.Name)
			if s.Duration != 3*time.Second || s.Sequence != 3 {
				t.Errorf("%+v", s)
			}
		}
		if next == nil {
			break
		}
		q.Before, q.After = next.Started, next.Key
	}
	if len(seen) != 30 {
		t.Errorf("%d sessions in pages: %v", len(seen), seen)
	}
}

func TestSessions_ThatFallSilentAreCutOffUntilTheySpeakAgain(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.AddSessions(0, `{"id":"a","outcome":"running"}`, `{"id":"b","outcome":"clean"}`, `{"id":"c","outcome":"running","started":"2026-11-22T23:59:00Z"}`)
	cut := func(since time.Time) {
		t.Helper()
		list, err := b.Ingest.QuietSessions(t.Context(), since)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range list {
			if _, err := b.Ingest.CutOffSessions(t.Context(), p, since); err != nil {
				t.Fatal(err)
			}
		}
	}
	cut(testbed.Noon.Add(-time.Minute))
	if got := b.Outcomes(); got != "map[ clean:1  running:2]" {
		t.Error("too early:", got)
	}
	cut(testbed.Noon.Add(time.Minute))
	if got := b.Outcomes(); got != "map[ clean:1  cut-off:2]" {
		t.Error(got)
	}
	b.Now = testbed.Noon.Add(time.Hour)
	b.AddSessions(0, `{"id":"c","outcome":"running","sequence":1,"started":"2026-11-22T23:59:00Z"}`)
	if got := b.Outcomes(); got != "map[ clean:1  cut-off:1  running:1]" {
		t.Error(got)
	}
	b.Recounted()
}

func TestSessions_RepairCountsAnew(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.AddSessions(0, `{"id":"a","outcome":"clean"}`, `{"id":"b","outcome":"crashed"}`)
	if _, err := b.DB.Exec("UPDATE session_day SET sessions=sessions+3"); err != nil {
		t.Fatal(err)
	}
	diff, _, err := b.Retention.Recount(t.Context())
	if err != nil || len(diff) != 2 {
		t.Fatalf("%+v %v", diff, err)
	}
	if _, err := b.Retention.Repair(t.Context(), diff); err != nil {
		t.Fatal(err)
	}
	b.Recounted()
	if got := b.Outcomes(); got != "map[ clean:1  crashed:1]" {
		t.Error(got)
	}
}

func TestSessions_GoWithTheirTime(t *testing.T) {
	b := testbed.Open(t, testbed.Noon.AddDate(0, 0, -53))
	b.AddSessions(7, `{"id":"old","outcome":"clean"}`)
	b.Now = testbed.Noon
	b.AddSessions(7, `{"id":"new","outcome":"clean"}`)
	if err := b.Retention.TrimSessions(t.Context()); err != nil {
		t.Fatal(err)
	}
	if n := b.One("SELECT COUNT(*) FROM session_user"); n != 1 {
		t.Errorf("%d days say who had sessions, want the new one alone", n)
	}
	if _, err := b.Events.Session(t.Context(), b.Project.ID, "old"); err == nil {
		t.Error("a session older than events are kept is still there")
	}
	if _, err := b.Events.Session(t.Context(), b.Project.ID, "new"); err != nil {
		t.Error(err)
	}
	if got := b.Outcomes(); got != "map[ clean:2]" {
		t.Error("counts stay: ", got)
	}
}

func TestFeedback_FindsItsEventBeforeAndAfter(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Say("f1", "e1", "first")
	b.Say("f1", "e1", "first")
	b.Say("f2", "never", "about nothing")
	b.Say("f3", "", "in general")
	if got := b.FeedbackTexts(0); got != "[in general(0) about nothing(0) first(0)]" {
		t.Error(got)
	}
	b.File(testbed.Event{ID: "e1", Function: "tideAt", At: testbed.Noon}, testbed.Event{ID: "e2", Function: "drawTide", At: testbed.Noon})
	b.Say("f4", "e2", "second")
	if got := b.FeedbackTexts(1) + b.FeedbackTexts(2); got != "[first(1)][second(2)]" {
		t.Error(got)
	}
	if got := b.FeedbackTexts(0); got != "[second(2) in general(0) about nothing(0) first(1)]" {
		t.Error(got)
	}
	b.Merge(1, 2)
	if got := b.FeedbackTexts(1); got != "[second(1) first(1)]" {
		t.Error("merged:", got)
	}
}

func TestFeedback_GoesWithItsUser(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.AddSessions(pipeline.UserHash(b.Project.UserSecret, "p-7"), `{"id":"a","outcome":"clean"}`)
	b.Say("f1", "", "mine")
	if _, err := b.DB.Exec("UPDATE feedback SET user=?", pipeline.UserHash(b.Project.UserSecret, "p-7")); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Retention.Erase(t.Context(), b.Project, "p-7", "test"); err != nil {
		t.Fatal(err)
	}
	if err := b.Retention.EraseNext(t.Context(), b.Project.ID); err != nil {
		t.Fatal(err)
	}
	if got := b.FeedbackTexts(0); got != "[]" {
		t.Error(got)
	}
	user := pipeline.UserHash(b.Project.UserSecret, "p-7")
	if list, _, err := b.Events.Sessions(t.Context(), events.SessionQuery{Project: b.Project.ID, User: &user, Limit: 5}); err != nil || len(list) != 0 {
		t.Error(list, err)
	}
}

// counted is a message that counts sessions of 4.2.1.
func counted(id string, sequence, clean, crashed int) string {
	return fmt.Sprintf(`{"id":%q,"sequence":%d,"minute":"2026-11-23T08:0%d:00Z","counts":{"clean":%d,"crashed":%d},"duration_ms":{"p50":12,"p95":80},"resource":{"service.version":"4.2.1"}}`, id, sequence, sequence%10, clean, crashed)
}

func TestSessions_CountedOnesCountOnce(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.AddSessions(0, counted("p", 0, 100, 1), counted("p", 1, 50, 0), counted("p", 1, 50, 0), `{"id":"one","outcome":"clean","resource":{"service.version":"4.2.1"}}`)
	b.AddSessions(0, counted("p", 1, 50, 0), counted("q", 0, 7, 0), counted("p", 0, 100, 1))
	if got := b.Outcomes(); got != "map[4.2.1 clean:158 4.2.1 crashed:1]" {
		t.Error(got)
	}
	b.Recounted()
	if _, err := b.DB.Exec("UPDATE session_day SET sessions=sessions+3"); err != nil {
		t.Fatal(err)
	}
	diff, _, err := b.Retention.Recount(t.Context())
	if err != nil || len(diff) == 0 {
		t.Fatalf("%+v %v", diff, err)
	}
	if _, err := b.Retention.Repair(t.Context(), diff); err != nil {
		t.Fatal(err)
	}
	b.Recounted()
	if got := b.Outcomes(); got != "map[4.2.1 clean:158 4.2.1 crashed:1]" {
		t.Error("after a repair:", got)
	}
	b.Now = testbed.Noon.AddDate(0, 0, 200)
	if err := b.Retention.TrimSessions(t.Context()); err != nil {
		t.Fatal(err)
	}
	var rows int
	if err := b.DB.QueryRow("SELECT COUNT(*) FROM session_minute").Scan(&rows); err != nil || rows != 0 {
		t.Errorf("%d rows are kept for ever: %v", rows, err)
	}
	b.AddSessions(0, counted("p", 1, 50, 0))
	if got := b.Outcomes(); got != "map[4.2.1 clean:158 4.2.1 crashed:1]" {
		t.Error("a message older than what is kept counts again:", got)
	}
}
