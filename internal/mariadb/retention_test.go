package mariadb

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/sampling"
	"firethorn/internal/pipeline"
)

const day = 24 * time.Hour

// one asks for a single number.
func (b *bench) one(query string, args ...any) (n int64) {
	b.t.Helper()
	if err := b.db.QueryRow(query, args...).Scan(&n); err != nil {
		b.t.Fatalf("%s: %v", query, err)
	}
	return n
}

// retireAt sets the clock and drops what is past. The database's own clock
// stays, so the comparison of both is left out.
func (b *bench) retireAt(at time.Time) []int {
	b.t.Helper()
	b.now = at
	if err := b.EnsurePartitions(b.t.Context()); err != nil {
		b.t.Fatal(err)
	}
	days, err := b.partitionDays(b.t.Context(), "event")
	if err != nil {
		b.t.Fatal(err)
	}
	var gone []int
	for _, d := range days {
		if d < Day(at)-graceDays {
			if err := b.retireDay(b.t.Context(), d); err != nil {
				b.t.Fatal(err)
			}
			gone = append(gone, d)
		}
	}
	if err := b.trim(b.t.Context(), Day(at)); err != nil {
		b.t.Fatal(err)
	}
	return gone
}

func TestRetire_DropsDaysAndKeepsCounts(t *testing.T) {
	b := open1(t, noon)
	for i := range 30 {
		b.file(occur{function: "tideAt", user: fmt.Sprint("p-", i%4), release: "4.2.0", at: noon.Add(-time.Duration(i) * day), stands: 2}, occur{function: "drawWeek", user: "p-1", at: noon.Add(-time.Duration(i) * day)})
	}
	before := *b.issue(1)
	rows := b.one("SELECT COUNT(*) FROM event")
	// A drop that was interrupted between writing down and dropping.
	if _, err := b.foldSome(t.Context(), int(b.one("SELECT MIN(keep_day) FROM event"))); err != nil {
		t.Fatal(err)
	}
	b.recounted()
	gone := b.retireAt(noon.Add(15 * day))
	if left := b.one("SELECT COUNT(*) FROM event"); len(gone) < 10 || left >= rows || left == 0 {
		t.Fatalf("%d days dropped, %d of %d rows left", len(gone), left, rows)
	}
	is := b.issue(1)
	if is.Events != before.Events || is.Users != before.Users || !is.FirstSeen.Equal(before.FirstSeen) || is.Bodies >= before.Bodies {
		t.Errorf("after the drop: %d events, %d users, first %v, %d bodies; before %d, %d, %v, %d", is.Events, is.Users, is.FirstSeen, is.Bodies, before.Events, before.Users, before.FirstSeen, before.Bodies)
	}
	b.recounted()
	if n := b.one("SELECT COUNT(*) FROM exemplar"); n == 0 {
		t.Error("the exemplars are gone")
	}
	if n := b.one("SELECT COUNT(*) FROM fold"); n != 0 {
		t.Errorf("%d notes of folding are left", n)
	}
	// Merged and undone, what dropped days carried moves along.
	b.merge(1, 2)
	b.followed()
	b.recounted()
	b.wantCounts(1, before.Events+30, 4)
	if err := b.undo(2); err != nil {
		t.Fatal(err)
	}
	b.followed()
	b.recounted()
	b.retireAt(noon.Add(60 * day))
	if left := b.one("SELECT COUNT(*) FROM event"); left != 0 {
		t.Errorf("%d rows are left after all days", left)
	}
	b.wantCounts(1, before.Events, before.Users)
	b.wantCounts(2, 30, 1)
	b.recounted()
}

func TestRetire_WritesDownWhileAMoveIsFollowed(t *testing.T) {
	b := open1(t, noon)
	for i := range 20 {
		b.file(occur{function: "tideAt", user: fmt.Sprint("p-", i), at: noon.Add(-time.Duration(i) * day)}, occur{function: "drawWeek", user: fmt.Sprint("p-", i), at: noon.Add(-time.Duration(i) * day)})
	}
	b.chunk = 3
	b.merge(1, 2)
	for range 12 {
		if _, err := b.FollowMove(t.Context(), b.project.ID); err != nil {
			t.Fatal(err)
		}
	}
	b.retireAt(noon.Add(20 * day))
	b.followed()
	b.recounted()
	b.wantCounts(1, 40, 20)
}

func TestRetire_DropsNothingWhileClocksDiffer(t *testing.T) {
	b := open1(t, noon) // the database has today's clock
	b.now, b.maxSkew = time.Now().Add(400*day), clockSkew
	if gone, err := b.Retire(t.Context()); !errors.Is(err, ErrClocks) || len(gone) > 0 {
		t.Errorf("Retire = %v, %v", gone, err)
	}
}

func TestFile_FilesNothingWhileClocksDiffer(t *testing.T) {
	b := open1(t, time.Now())
	b.maxSkew = clockSkew
	b.file(occur{function: "tideAt", at: b.now})
	b.store(occur{function: "tideAt", at: b.now})
	f := b.filing()
	b.now = b.now.Add(2 * time.Hour)
	if _, err := b.File(t.Context(), f); !errors.Is(err, ErrClocks) {
		t.Errorf("File = %v", err)
	}
	if st, err := b.Inbox(t.Context()); err != nil || st.Events != 1 {
		t.Errorf("%d events wait, %v: nothing may be lost", st.Events, err)
	}
}

func TestSetKeepDays_FindsRepeatsUnderTheClassBefore(t *testing.T) {
	b := open1(t, noon)
	young, old := occur{id: "young", function: "tideAt", at: noon.Add(-2 * day)}, occur{id: "old", function: "tideAt", at: noon.Add(-20 * day)}
	b.file(young, old)
	for _, days := range []int{7, 90, 30} {
		if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{KeepDays: days}); err != nil {
			t.Fatal(err)
		}
		p, err := b.ProjectByID(t.Context(), b.project.ID)
		if err != nil {
			t.Fatal(err)
		}
		b.project = p
		b.now = b.now.Add(time.Hour)
		if done := b.file(young, old); done.Repeats != 2 {
			t.Errorf("with %d days: %+v, want two repeats", days, done)
		}
	}
	b.wantCounts(1, 2, 0)
	b.recounted()
	if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{KeepDays: 12}); err == nil {
		t.Error("a class that is none is taken")
	}
}

func TestFile_TakesWhatWaitedBeyondItsTime(t *testing.T) {
	b := open1(t, noon)
	late := occur{id: "late", function: "tideAt", at: noon.Add(-29 * day)}
	b.store(late)
	b.now = noon.Add(10 * day) // it waited; its day is past
	if done, err := b.File(t.Context(), b.filing()); err != nil || done.Events != 1 {
		t.Fatalf("%+v, %v", done, err)
	}
	if keep := b.one("SELECT keep_day FROM event"); keep < int64(Day(b.now)) {
		t.Errorf("it is kept until day %d, and that is past", keep)
	}
	b.store(late)
	if done, err := b.File(t.Context(), b.filing()); err != nil || done.Repeats != 1 {
		t.Errorf("again: %+v, %v", done, err)
	}
	b.recounted()
}

func TestFile_KeepsFewBodiesOfAFlood(t *testing.T) {
	b := open1(t, noon)
	for i := range 8 {
		var list []occur
		for range 100 {
			list = append(list, occur{function: "tideAt", user: "p-1", release: fmt.Sprint("4.", i/4), at: noon})
		}
		b.file(list...)
		b.now = b.now.Add(time.Minute)
	}
	is := b.issue(1)
	if is.Events != 800 || is.Bodies < sampling.Always || is.Bodies > 450 {
		t.Errorf("%d bodies of %d events are kept", is.Bodies, is.Events)
	}
	b.recounted()
	newest, err := b.IssueEvent(t.Context(), b.project, is.ID, "newest")
	if err != nil || !newest.Kept || newest.Filing < 700 {
		t.Fatalf("the newest kept: %+v, %v", newest, err)
	}
	for _, which := range []string{"newest", "oldest"} {
		e, err := b.IssueEvent(t.Context(), b.project, is.ID, which)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := b.EventBody(t.Context(), e)
		if err != nil {
			t.Fatal(err)
		}
		if ev, _, err := pipeline.Read(t.Context(), b.project.Project, raw, b.units); err != nil || ev.Attributes.Text("user.id") != "p-1" {
			t.Errorf("%s: %+v, %v", which, ev, err)
		}
	}
	n, err := b.EventNeighbours(t.Context(), is.ID, newest)
	if err != nil || n.Position != 1 || n.Newer != uuid.Nil || n.Older == uuid.Nil {
		t.Errorf("its neighbours: %+v, %v", n, err)
	}
	all, _, err := b.Events(t.Context(), EventQuery{Issue: is.ID, Limit: 500})
	kept, _, err2 := b.Events(t.Context(), EventQuery{Issue: is.ID, Limit: 500, Kept: true})
	if err != nil || err2 != nil || len(all) != 500 || int64(len(kept)) < is.Bodies {
		t.Errorf("%d of all, %d kept are listed, %v %v", len(all), len(kept), err, err2)
	}
	for _, e := range all {
		if !e.Kept {
			if _, err := b.EventBody(t.Context(), e); !errors.Is(err, ErrNoBody) {
				t.Errorf("an event whose body was not kept: %v", err)
			}
			if _, err := b.Exemplar(t.Context(), e); err != nil {
				t.Errorf("its exemplar: %v", err)
			}
			break
		}
	}
	if dicts, with := b.one("SELECT COUNT(*) FROM dictionary"), b.one("SELECT COUNT(*) FROM event_body WHERE dictionary IS NOT NULL"); dicts != 1 || with < 50 {
		t.Errorf("%d dictionaries, %d bodies written with one", dicts, with)
	}
}

func TestErase_TakesAUserAwayAndKeepsCounts(t *testing.T) {
	b := open1(t, noon)
	var list []occur
	for i := range 40 { // the eleventh makes the dictionary: p-0's
		list = append(list, occur{function: "tideAt", user: fmt.Sprint("p-", i/20), release: "4.2.0", at: noon})
	}
	b.file(list[:15]...)
	b.file(list[15:]...)
	b.merge(1, 1+b.secondIssue())
	b.followed()
	before := *b.issue(1)
	e, err := b.Erase(t.Context(), b.project, "p-0", "Maren Holt")
	if err != nil {
		t.Fatal(err)
	}
	if err := b.EraseNext(t.Context(), b.project.ID); err != nil {
		t.Fatal(err)
	}
	st, err := b.ErasureState(t.Context(), b.project.ID, e.ID)
	if err != nil || !st.Done || st.Events != 20 {
		t.Fatalf("%+v, %v", st, err)
	}
	b.recounted()
	b.wantCounts(1, before.Events, before.Users)
	user := pipeline.UserHash(b.project.UserSecret, "p-0")
	for _, table := range []string{"event", "issue_user", "issue_user_day", "issue_user_env", "dictionary"} {
		if n := b.one("SELECT COUNT(*) FROM "+table+" WHERE user=?", user); n != 0 {
			t.Errorf("%d rows of %s still name the user", n, table)
		}
	}
	all, _, err := b.Events(t.Context(), EventQuery{Issue: before.ID, Limit: 100, Kept: true})
	if err != nil || len(all) == 0 {
		t.Fatalf("%d events are readable, %v", len(all), err)
	}
	for _, row := range all {
		raw, err := b.EventBody(t.Context(), row)
		if err != nil {
			t.Fatal(err)
		}
		if ev, _, err := pipeline.Read(t.Context(), b.project.Project, raw, b.units); err != nil || ev.Attributes.Text("user.id") == "p-0" {
			t.Errorf("a body is left: %v, %v", ev, err)
		}
	}
	// The same person comes again: a user like any other.
	b.file(occur{function: "tideAt", user: "p-0", release: "4.2.0", at: noon})
	b.recounted()
}

// secondIssue files another issue and returns 1.
func (b *bench) secondIssue() int64 {
	b.file(occur{function: "drawWeek", user: "p-7", at: noon})
	return 1
}

func TestFile_GoesOnWhenTheClockIsSetBack(t *testing.T) {
	b := open1(t, noon)
	once := occur{id: "once", function: "tideAt", user: "p-1", at: noon}
	b.file(once, occur{function: "drawWeek", user: "p-2", at: noon.Add(-time.Hour)})
	b.now = noon.Add(-50 * time.Hour)
	if done := b.file(once, occur{function: "tideAt", user: "p-2", at: b.now}); done.Repeats != 1 || done.Events != 1 {
		t.Errorf("two days back: %+v", done)
	}
	b.recounted()
	b.now = noon.Add(time.Hour)
	if done := b.file(once, occur{function: "tideAt", user: "p-3", at: b.now}); done.Repeats != 1 || done.Events != 1 {
		t.Errorf("set right again: %+v", done)
	}
	b.recounted()
	is := b.issue(1)
	if is.Events != 3 || is.Users != 3 || is.LastSeen.After(b.now) {
		t.Errorf("%d events, %d users, last seen %v", is.Events, is.Users, is.LastSeen)
	}
}

// A change of partitions that waits for a transaction lets others through, else
// a transaction that waits for one of them would never end.
func TestAlter_LetsOthersThrough(t *testing.T) {
	b := open1(t, noon)
	ctx := t.Context()
	b.in("tideAt", "4.2.0")
	tx, err := b.db.BeginTx(ctx, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	var n int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM event").Scan(&n); err != nil {
		t.Fatal(err)
	}
	b.now = b.now.Add(10 * day)
	done := make(chan error, 1)
	go func() { done <- b.EnsurePartitions(ctx) }()
	time.Sleep(300 * time.Millisecond) // it waits by now
	soon, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	st, err := b.db.PrepareContext(soon, "SELECT COUNT(*) FROM event WHERE project=?")
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
	if p, err := b.PartitionState(ctx); err != nil || p.Ahead < 1 {
		t.Errorf("%+v, %v", p, err)
	}
}
