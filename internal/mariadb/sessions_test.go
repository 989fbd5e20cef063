package mariadb

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/feedback"
	"firethorn/internal/core/session"
	"firethorn/internal/pipeline"
)

// tell files messages about sessions, each a JSON object, in one transaction.
func (b *bench) tell(user int64, messages ...string) {
	b.t.Helper()
	f := b.filing()
	for _, text := range messages {
		m, err := session.Decode(json.RawMessage(text), nil)
		if err != nil {
			b.t.Fatal(err)
		}
		started := b.now
		if t, err := time.Parse(time.RFC3339, m.Started); err == nil {
			started = t
		}
		f.Sessions = append(f.Sessions, SessionMessage{Message: m, Started: started, Received: b.now, User: pipeline.User{Known: user != 0, Hash: user}})
	}
	if _, err := b.File(b.t.Context(), f); err != nil {
		b.t.Fatal(err)
	}
}

// outcomes are the counts of all days, in words.
func (b *bench) outcomes() string {
	b.t.Helper()
	list, err := b.SessionCounts(b.t.Context(), b.project.ID, b.now.AddDate(0, 0, -300), b.now, false)
	if err != nil {
		b.t.Fatal(err)
	}
	all := map[string]int64{}
	for _, c := range list {
		for o, n := range c.Outcomes {
			all[c.Release+" "+o.String()] += n
		}
	}
	return fmt.Sprint(all)
}

func TestSessions_MergeInAnyOrderAndCountOnce(t *testing.T) {
	b := open1(t, noon)
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
		b.tell(5, all[:n]...)
		all = all[n:]
	}
	if got := b.outcomes(); got != "map[4.2.1 clean:10 4.2.1 faulty:20]" {
		t.Error(got)
	}
	b.recounted()
	user := int64(5)
	var seen []string
	q := SessionQuery{Project: b.project.ID, User: &user, Limit: 7}
	for {
		list, next, err := b.Sessions(t.Context(), q)
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
	b := open1(t, noon)
	b.tell(0, `{"id":"a","outcome":"running"}`, `{"id":"b","outcome":"clean"}`, `{"id":"c","outcome":"running","started":"2026-11-22T23:59:00Z"}`)
	cut := func(since time.Time) {
		t.Helper()
		list, err := b.QuietSessions(t.Context(), since)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range list {
			if _, err := b.CutOffSessions(t.Context(), p, since); err != nil {
				t.Fatal(err)
			}
		}
	}
	cut(noon.Add(-time.Minute))
	if got := b.outcomes(); got != "map[ clean:1  running:2]" {
		t.Error("too early:", got)
	}
	cut(noon.Add(time.Minute))
	if got := b.outcomes(); got != "map[ clean:1  cut-off:2]" {
		t.Error(got)
	}
	b.now = noon.Add(time.Hour)
	b.tell(0, `{"id":"c","outcome":"running","sequence":1,"started":"2026-11-22T23:59:00Z"}`)
	if got := b.outcomes(); got != "map[ clean:1  cut-off:1  running:1]" {
		t.Error(got)
	}
	b.recounted()
}

func TestSessions_RepairCountsAnew(t *testing.T) {
	b := open1(t, noon)
	b.tell(0, `{"id":"a","outcome":"clean"}`, `{"id":"b","outcome":"crashed"}`)
	if _, err := b.db.Exec("UPDATE session_day SET sessions=sessions+3"); err != nil {
		t.Fatal(err)
	}
	diff, _, err := b.Recount(t.Context())
	if err != nil || len(diff) != 2 {
		t.Fatalf("%+v %v", diff, err)
	}
	if _, err := b.Repair(t.Context(), diff); err != nil {
		t.Fatal(err)
	}
	b.recounted()
	if got := b.outcomes(); got != "map[ clean:1  crashed:1]" {
		t.Error(got)
	}
}

func TestSessions_GoWithTheirTime(t *testing.T) {
	b := open1(t, noon.AddDate(0, 0, -53))
	b.tell(0, `{"id":"old","outcome":"clean"}`)
	b.now = noon
	b.tell(0, `{"id":"new","outcome":"clean"}`)
	if err := b.trimSessions(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Session(t.Context(), b.project.ID, "old"); err == nil {
		t.Error("a session older than events are kept is still there")
	}
	if _, err := b.Session(t.Context(), b.project.ID, "new"); err != nil {
		t.Error(err)
	}
	if got := b.outcomes(); got != "map[ clean:2]" {
		t.Error("counts stay: ", got)
	}
}

// say files feedback about the event of an occurrence.
func (b *bench) say(id, about, text string) {
	b.t.Helper()
	f := b.filing()
	said := &Said{Feedback: &feedback.Feedback{ID: uuid.NewSHA1(uuid.Nil, []byte(id)), Text: text}, At: b.now, Received: b.now, User: pipeline.User{Known: true, Hash: 77}}
	if about != "" {
		said.Event = uuid.NewSHA1(uuid.Nil, []byte(about))
	}
	f.Feedback = []*Said{said}
	if _, err := b.File(b.t.Context(), f); err != nil {
		b.t.Fatal(err)
	}
}

// heard are the texts about an issue, newest first; 0 is the whole project.
func (b *bench) heard(number int64) string {
	b.t.Helper()
	q := FeedbackQuery{Project: b.project.ID, Limit: 10}
	if number != 0 {
		q.Issue = b.issue(number).ID
	}
	list, _, err := b.FeedbackList(b.t.Context(), q)
	if err != nil {
		b.t.Fatal(err)
	}
	var out []string
	for _, f := range list {
		out = append(out, fmt.Sprintf("%s(%d)", f.Text, f.Issue))
	}
	return fmt.Sprint(out)
}

func TestFeedback_FindsItsEventBeforeAndAfter(t *testing.T) {
	b := open1(t, noon)
	b.say("f1", "e1", "first")
	b.say("f1", "e1", "first")
	b.say("f2", "never", "about nothing")
	b.say("f3", "", "in general")
	if got := b.heard(0); got != "[in general(0) about nothing(0) first(0)]" {
		t.Error(got)
	}
	b.file(occur{id: "e1", function: "tideAt", at: noon}, occur{id: "e2", function: "drawTide", at: noon})
	b.say("f4", "e2", "second")
	if got := b.heard(1) + b.heard(2); got != "[first(1)][second(2)]" {
		t.Error(got)
	}
	if got := b.heard(0); got != "[second(2) in general(0) about nothing(0) first(1)]" {
		t.Error(got)
	}
	b.merge(1, 2)
	if got := b.heard(1); got != "[second(1) first(1)]" {
		t.Error("merged:", got)
	}
}

func TestFeedback_GoesWithItsUser(t *testing.T) {
	b := open1(t, noon)
	b.tell(pipeline.UserHash(b.project.UserSecret, "p-7"), `{"id":"a","outcome":"clean"}`)
	b.say("f1", "", "mine")
	if _, err := b.db.Exec("UPDATE feedback SET user=?", pipeline.UserHash(b.project.UserSecret, "p-7")); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Erase(t.Context(), b.project, "p-7", "test"); err != nil {
		t.Fatal(err)
	}
	if err := b.EraseNext(t.Context(), b.project.ID); err != nil {
		t.Fatal(err)
	}
	if got := b.heard(0); got != "[]" {
		t.Error(got)
	}
	user := pipeline.UserHash(b.project.UserSecret, "p-7")
	if list, _, err := b.Sessions(t.Context(), SessionQuery{Project: b.project.ID, User: &user, Limit: 5}); err != nil || len(list) != 0 {
		t.Error(list, err)
	}
}

// counted is a message that counts sessions of 4.2.1.
func counted(id string, sequence, clean, crashed int) string {
	return fmt.Sprintf(`{"id":%q,"sequence":%d,"minute":"2026-11-23T08:0%d:00Z","counts":{"clean":%d,"crashed":%d},"duration_ms":{"p50":12,"p95":80},"resource":{"service.version":"4.2.1"}}`, id, sequence, sequence%10, clean, crashed)
}

func TestSessions_CountedOnesCountOnce(t *testing.T) {
	b := open1(t, noon)
	b.tell(0, counted("p", 0, 100, 1), counted("p", 1, 50, 0), counted("p", 1, 50, 0), `{"id":"one","outcome":"clean","resource":{"service.version":"4.2.1"}}`)
	b.tell(0, counted("p", 1, 50, 0), counted("q", 0, 7, 0), counted("p", 0, 100, 1))
	if got := b.outcomes(); got != "map[4.2.1 clean:158 4.2.1 crashed:1]" {
		t.Error(got)
	}
	b.recounted()
	if _, err := b.db.Exec("UPDATE session_day SET sessions=sessions+3"); err != nil {
		t.Fatal(err)
	}
	diff, _, err := b.Recount(t.Context())
	if err != nil || len(diff) == 0 {
		t.Fatalf("%+v %v", diff, err)
	}
	if _, err := b.Repair(t.Context(), diff); err != nil {
		t.Fatal(err)
	}
	b.recounted()
	if got := b.outcomes(); got != "map[4.2.1 clean:158 4.2.1 crashed:1]" {
		t.Error("after a repair:", got)
	}
	b.now = noon.AddDate(0, 0, 200)
	if err := b.trimSessions(t.Context()); err != nil {
		t.Fatal(err)
	}
	var rows int
	if err := b.db.QueryRow("SELECT COUNT(*) FROM session_minute").Scan(&rows); err != nil || rows != 0 {
		t.Errorf("%d rows are kept for ever: %v", rows, err)
	}
	b.tell(0, counted("p", 1, 50, 0))
	if got := b.outcomes(); got != "map[4.2.1 clean:158 4.2.1 crashed:1]" {
		t.Error("a message older than what is kept counts again:", got)
	}
}
