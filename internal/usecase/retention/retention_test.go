package retention_test

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/sampling"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
)

func TestRetire_DropsDaysAndKeepsCounts(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 30 {
		b.File(testbed.Event{Function: "tideAt", User: fmt.Sprint("p-", i%4), Release: "4.2.0", At: testbed.Noon.Add(-time.Duration(i) * testbed.Day), Stands: 2}, testbed.Event{Function: "drawWeek", User: "p-1", At: testbed.Noon.Add(-time.Duration(i) * testbed.Day)})
	}
	before := *b.Issue(1)
	rows := b.One("SELECT COUNT(*) FROM event")
	// A drop that was interrupted between writing down and dropping.
	if _, err := b.Retention.FoldSome(t.Context(), int(b.One("SELECT MIN(keep_day) FROM event"))); err != nil {
		t.Fatal(err)
	}
	b.Recounted()
	gone := b.RetireAt(testbed.Noon.Add(15 * testbed.Day))
	if left := b.One("SELECT COUNT(*) FROM event"); len(gone) < 10 || left >= rows || left == 0 {
		t.Fatalf("%d days dropped, %d of %d rows left", len(gone), left, rows)
	}
	is := b.Issue(1)
	if is.Events != before.Events || is.Users != before.Users || !is.FirstSeen.Equal(before.FirstSeen) || is.Bodies >= before.Bodies {
		t.Errorf("after the drop: %d events, %d users, first %v, %d bodies; before %d, %d, %v, %d", is.Events, is.Users, is.FirstSeen, is.Bodies, before.Events, before.Users, before.FirstSeen, before.Bodies)
	}
	b.Recounted()
	if n := b.One("SELECT COUNT(*) FROM exemplar"); n == 0 {
		t.Error("the exemplars are gone")
	}
	if n := b.One("SELECT COUNT(*) FROM archived"); n != 0 {
		t.Errorf("%d notes of folding are left", n)
	}
	// Merged and undone, what dropped days carried moves along.
	b.Merge(1, 2)
	b.Followed()
	b.Recounted()
	b.WantCounts(1, before.Events+30, 4)
	if err := b.Undo(2); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	b.Recounted()
	b.RetireAt(testbed.Noon.Add(60 * testbed.Day))
	if left := b.One("SELECT COUNT(*) FROM event"); left != 0 {
		t.Errorf("%d rows are left after all days", left)
	}
	b.WantCounts(1, before.Events, before.Users)
	b.WantCounts(2, 30, 1)
	b.Recounted()
}

func TestRetire_WritesDownWhileAMoveIsFollowed(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 20 {
		b.File(testbed.Event{Function: "tideAt", User: fmt.Sprint("p-", i), At: testbed.Noon.Add(-time.Duration(i) * testbed.Day)}, testbed.Event{Function: "drawWeek", User: fmt.Sprint("p-", i), At: testbed.Noon.Add(-time.Duration(i) * testbed.Day)})
	}
	b.Moves.Chunk = 3
	b.Merge(1, 2)
	for range 12 {
		if _, err := b.Moves.FollowMove(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	b.RetireAt(testbed.Noon.Add(20 * testbed.Day))
	b.Followed()
	b.Recounted()
	b.WantCounts(1, 40, 20)
}

func TestRetire_DropsNothingWhileClocksDiffer(t *testing.T) {
	b := testbed.Open(t, testbed.Noon) // the database has today's clock
	b.Now, b.DB.MaxSkew = time.Now().Add(400*testbed.Day), db.ClockSkew
	if gone, err := b.Retention.Retire(t.Context()); !errors.Is(err, db.ErrClocks) || len(gone) > 0 {
		t.Errorf("Retire = %v, %v", gone, err)
	}
}

func TestFile_FilesNothingWhileClocksDiffer(t *testing.T) {
	b := testbed.Open(t, time.Now())
	b.DB.MaxSkew = db.ClockSkew
	b.File(testbed.Event{Function: "tideAt", At: b.Now})
	b.Store(testbed.Event{Function: "tideAt", At: b.Now})
	f := b.Batch()
	b.Now = b.Now.Add(2 * time.Hour)
	if _, err := b.Ingest.Process(t.Context(), f); !errors.Is(err, db.ErrClocks) {
		t.Errorf("File = %v", err)
	}
	if st, err := b.Overview.Inbox(t.Context()); err != nil || st.Events != 1 {
		t.Errorf("%d events wait, %v: nothing may be lost", st.Events, err)
	}
}

func TestSetKeepDays_FindsRepeatsUnderTheClassBefore(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	young, old := testbed.Event{ID: "young", Function: "tideAt", At: testbed.Noon.Add(-2 * testbed.Day)}, testbed.Event{ID: "old", Function: "tideAt", At: testbed.Noon.Add(-20 * testbed.Day)}
	b.File(young, old)
	for _, days := range []int{7, 90, 30} {
		if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{KeepDays: days}); err != nil {
			t.Fatal(err)
		}
		p, err := b.Projects.ProjectByID(t.Context(), b.Project.ID)
		if err != nil {
			t.Fatal(err)
		}
		b.Project = p
		b.Now = b.Now.Add(time.Hour)
		if done := b.File(young, old); done.Repeats != 2 {
			t.Errorf("with %d days: %+v, want two repeats", days, done)
		}
	}
	b.WantCounts(1, 2, 0)
	b.Recounted()
	if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{KeepDays: 12}); err == nil {
		t.Error("a class that is none is taken")
	}
}

func TestFile_TakesWhatWaitedBeyondItsTime(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	late := testbed.Event{ID: "late", Function: "tideAt", At: testbed.Noon.Add(-29 * testbed.Day)}
	b.Store(late)
	b.Now = testbed.Noon.Add(10 * testbed.Day) // it waited; its day is past
	if done, err := b.Ingest.Process(t.Context(), b.Batch()); err != nil || done.Events != 1 {
		t.Fatalf("%+v, %v", done, err)
	}
	if keep := b.One("SELECT keep_day FROM event"); keep < int64(db.Day(b.Now)) {
		t.Errorf("it is kept until day %d, and that is past", keep)
	}
	b.Store(late)
	if done, err := b.Ingest.Process(t.Context(), b.Batch()); err != nil || done.Repeats != 1 {
		t.Errorf("again: %+v, %v", done, err)
	}
	b.Recounted()
}

func TestFile_KeepsFewBodiesOfAFlood(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 8 {
		var list []testbed.Event
		for range 100 {
			list = append(list, testbed.Event{Function: "tideAt", User: "p-1", Release: fmt.Sprint("4.", i/4), At: testbed.Noon})
		}
		b.File(list...)
		b.Now = b.Now.Add(time.Minute)
	}
	is := b.Issue(1)
	if is.Events != 800 || is.Bodies < sampling.Always || is.Bodies > 450 {
		t.Errorf("%d bodies of %d events are kept", is.Bodies, is.Events)
	}
	b.Recounted()
	newest, err := b.Events.IssueEvent(t.Context(), b.Project, is.ID, "newest")
	if err != nil || !newest.Kept || newest.Position < 700 {
		t.Fatalf("the newest kept: %+v, %v", newest, err)
	}
	for _, which := range []string{"newest", "oldest"} {
		e, err := b.Events.IssueEvent(t.Context(), b.Project, is.ID, which)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := b.Events.EventBody(t.Context(), e)
		if err != nil {
			t.Fatal(err)
		}
		if ev, _, err := pipeline.Read(t.Context(), b.Project.Project, raw, b.Units); err != nil || ev.Attributes.Text("user.id") != "p-1" {
			t.Errorf("%s: %+v, %v", which, ev, err)
		}
	}
	n, err := b.Events.EventNeighbours(t.Context(), is.ID, newest)
	if err != nil || n.Position != 1 || n.Newer != uuid.Nil || n.Older == uuid.Nil {
		t.Errorf("its neighbours: %+v, %v", n, err)
	}
	all, _, err := b.Events.Events(t.Context(), events.EventQuery{Project: b.Project.ID, Issue: is.ID, Limit: 500})
	kept, _, err2 := b.Events.Events(t.Context(), events.EventQuery{Project: b.Project.ID, Issue: is.ID, Limit: 500, Kept: true})
	if err != nil || err2 != nil || len(all) != 500 || int64(len(kept)) < is.Bodies {
		t.Errorf("%d of all, %d kept are listed, %v %v", len(all), len(kept), err, err2)
	}
	for _, e := range all {
		if !e.Kept {
			if _, err := b.Events.EventBody(t.Context(), e); !errors.Is(err, events.ErrNoBody) {
				t.Errorf("an event whose body was not kept: %v", err)
			}
			if _, err := b.Events.Exemplar(t.Context(), e); err != nil {
				t.Errorf("its exemplar: %v", err)
			}
			break
		}
	}
	if dicts, with := b.One("SELECT COUNT(*) FROM dictionary"), b.One("SELECT COUNT(*) FROM event_body WHERE dictionary IS NOT NULL"); dicts != 1 || with < 50 {
		t.Errorf("%d dictionaries, %d bodies written with one", dicts, with)
	}
}

func TestErase_TakesAUserAwayAndKeepsCounts(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var list []testbed.Event
	for i := range 40 { // the fifth makes the dictionary: p-0's
		list = append(list, testbed.Event{Function: "tideAt", User: fmt.Sprint("p-", i/20), Release: "4.2.0", At: testbed.Noon,
			State: fmt.Sprintf("berth of p-%d", i/20)})
	}
	b.File(list[:15]...)
	b.File(list[15:]...)
	if n := dictionariesWith(t, b, "berth of p-0"); n != 1 {
		t.Fatalf("%d dictionaries have the state of the user who will be erased", n)
	}
	b.Merge(1, 1+b.SecondIssue())
	b.Followed()
	before := *b.Issue(1)
	e, err := b.Retention.Erase(t.Context(), b.Project, "p-0", "Maren Holt")
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Retention.EraseNext(t.Context(), b.Project.ID); err != nil {
		t.Fatal(err)
	}
	st, err := b.Retention.ErasureState(t.Context(), b.Project.ID, e.ID)
	if err != nil || !st.Done || st.Events != 20 {
		t.Fatalf("%+v, %v", st, err)
	}
	b.Recounted()
	b.WantCounts(1, before.Events, before.Users)
	user := pipeline.UserHash(b.Project.UserSecret, "p-0")
	for _, table := range []string{"event", "issue_user", "issue_user_day", "dictionary"} {
		if n := b.One("SELECT COUNT(*) FROM "+table+" WHERE user=?", user); n != 0 {
			t.Errorf("%d rows of %s still name the user", n, table)
		}
	}
	if n := dictionariesWith(t, b, "p-0"); n != 0 {
		t.Errorf("%d dictionaries still have what the user's events say", n)
	}
	all, _, err := b.Events.Events(t.Context(), events.EventQuery{Project: b.Project.ID, Issue: before.ID, Limit: 100, Kept: true})
	if err != nil || len(all) == 0 {
		t.Fatalf("%d events are readable, %v", len(all), err)
	}
	for _, row := range all {
		raw, err := b.Events.EventBody(t.Context(), row)
		if err != nil {
			t.Fatal(err)
		}
		if ev, _, err := pipeline.Read(t.Context(), b.Project.Project, raw, b.Units); err != nil || ev.Attributes.Text("user.id") == "p-0" {
			t.Errorf("a body is left: %v, %v", ev, err)
		}
	}
	// The same person comes again: a user like any other.
	b.File(testbed.Event{Function: "tideAt", User: "p-0", Release: "4.2.0", At: testbed.Noon})
	b.Recounted()
}

// dictionariesWith counts the dictionaries that have a text.
func dictionariesWith(t *testing.T, b *testbed.Bench, text string) (n int) {
	t.Helper()
	err := db.Each(t.Context(), b.DB, func(r *sql.Rows) error {
		var packed []byte
		if err := r.Scan(&packed); err != nil {
			return err
		}
		raw, err := pipeline.Decompress(packed)
		if bytes.Contains(raw, []byte(text)) {
			n++
		}
		return err
	}, "SELECT content FROM dictionary")
	if err != nil {
		t.Fatal(err)
	}
	return n
}

func TestFile_GoesOnWhenTheClockIsSetBack(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	once := testbed.Event{ID: "once", Function: "tideAt", User: "p-1", At: testbed.Noon}
	b.File(once, testbed.Event{Function: "drawWeek", User: "p-2", At: testbed.Noon.Add(-time.Hour)})
	b.Now = testbed.Noon.Add(-50 * time.Hour)
	if done := b.File(once, testbed.Event{Function: "tideAt", User: "p-2", At: b.Now}); done.Repeats != 1 || done.Events != 1 {
		t.Errorf("two days back: %+v", done)
	}
	b.Recounted()
	b.Now = testbed.Noon.Add(time.Hour)
	if done := b.File(once, testbed.Event{Function: "tideAt", User: "p-3", At: b.Now}); done.Repeats != 1 || done.Events != 1 {
		t.Errorf("set right again: %+v", done)
	}
	b.Recounted()
	is := b.Issue(1)
	if is.Events != 3 || is.Users != 3 || is.LastSeen.After(b.Now) {
		t.Errorf("%d events, %d users, last seen %v", is.Events, is.Users, is.LastSeen)
	}
}

// A change of partitions that waits for a transaction lets others through, else
// a transaction that waits for one of them would never end.
func TestAlter_LetsOthersThrough(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	ctx := t.Context()
	b.In("tideAt", "4.2.0")
	tx, err := b.DB.BeginTx(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	var n int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM event").Scan(&n); err != nil {
		t.Fatal(err)
	}
	b.Now = b.Now.Add(10 * testbed.Day)
	done := make(chan error, 1)
	go func() { done <- b.Schema.EnsurePartitions(ctx) }()
	time.Sleep(300 * time.Millisecond) // it waits by now
	soon, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	st, err := b.DB.PrepareContext(soon, "SELECT COUNT(*) FROM event WHERE project=?")
	if err != nil {
		t.Fatalf("who comes after a change that waits never gets through: %v", err)
	}
	st.Close()
	if err := tx.Commit(); err != nil {
		t.Fatal(err)
	}
	if err := <-done; err != nil {
		t.Errorf("once nobody is in the way: %v", err)
	}
	if p, err := b.Schema.PartitionState(ctx); err != nil || p.Ahead < 1 {
		t.Errorf("%+v, %v", p, err)
	}
}
