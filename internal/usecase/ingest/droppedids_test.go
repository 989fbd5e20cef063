package ingest_test

import (
	"database/sql"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/store/projects"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/ingest"
)

// A sender that was away for weeks sends again what was processed before its
// partition was dropped: it counts no second time, for 60 days.
func TestRetire_KnowsRepeatsOfWhatWasDropped(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	if err := b.Projects.ChangeProject(t.Context(), b.Project.ID, projects.ProjectChange{KeepDays: 7}); err != nil {
		t.Fatal(err)
	}
	b.Project.KeepDays = 7
	var list []testbed.Event
	for i := range 150 {
		list = append(list, testbed.Event{ID: fmt.Sprint("e", i), Function: "tideAt", User: "p-1", Release: "4.2.0", At: testbed.Noon.Add(-time.Duration(i%3) * testbed.Day)})
	}
	odd := testbed.Event{ID: "odd", Function: "tideAt", User: "p-1"} // it does not say when it was thrown
	b.File(append(list, odd)...)
	b.RetireAt(testbed.Noon.Add(12 * testbed.Day))
	if left := b.One("SELECT COUNT(*) FROM event"); left != 0 {
		t.Fatalf("%d events are left", left)
	}
	fresh := testbed.Event{ID: "fresh", Function: "tideAt", User: "p-1", At: testbed.Noon.Add(-testbed.Day)} // never seen, and just as old
	for _, after := range []int{12, 40, 66} {
		b.RetireAt(testbed.Noon.Add(time.Duration(after) * testbed.Day))
		if done := b.File(append([]testbed.Event{odd}, list...)...); done.Events != 0 || done.Repeats != 151 {
			t.Errorf("sent again after %d days: %+v, want 151 repeats", after, done)
		}
	}
	if done := b.File(fresh); done.Events != 1 {
		t.Errorf("an old event that was never sent: %+v", done)
	}
	b.WantCounts(1, 152, 1)
	b.Recounted()
	b.RetireAt(testbed.Noon.Add(90 * testbed.Day))
	if left := b.One("SELECT (SELECT COUNT(*) FROM dropped_id WHERE keep_day<?)+(SELECT COUNT(*) FROM odd_event WHERE keep_day<?)", db.Day(b.Now)-projects.GraceDays-ingest.DroppedDays, db.Day(b.Now)-projects.GraceDays-ingest.DroppedDays); left != 0 {
		t.Errorf("%d rows are kept beyond their time", left)
	}
}

// A day that is written down in parts, or again after a crash, is found whole.
func TestKeepIDs_FindsEveryID(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	var list []testbed.Event
	for i := range 300 {
		list = append(list, testbed.Event{ID: fmt.Sprint("e", i), Function: "tideAt", At: testbed.Noon})
	}
	b.File(list...)
	keep := db.Day(testbed.Noon) + b.Project.KeepDays
	for range 2 {
		if err := b.Ingest.KeepIDs(t.Context(), keep); err != nil {
			t.Fatal(err)
		}
	}
	if n := b.One("SELECT SUM(LENGTH(hashes)) FROM dropped_id"); n != 300*8 {
		t.Errorf("%d bytes are kept of 300 ids", n)
	}
	part := fmt.Sprintf("event PARTITION (p%d)", keep)
	if _, err := b.DB.Exec("DELETE FROM dropped_id"); err != nil {
		t.Fatal(err)
	}
	for from := range 7 {
		if err := b.Ingest.KeepBuckets(t.Context(), part, b.Project.ID, keep, 7, from, from+1); err != nil {
			t.Fatal(err)
		}
	}
	err := b.DB.InTx(t.Context(), func(tx *sql.Tx) error {
		found := map[uuid.UUID]bool{}
		var ids []uuid.UUID
		for i := range 301 { // the last one is not there
			ids = append(ids, uuid.NewSHA1(uuid.Nil, []byte(fmt.Sprint("e", i))))
		}
		if err := b.Ingest.DroppedOn(t.Context(), tx, b.Project.Project, keep, ids, found); err != nil {
			return err
		}
		for i, id := range ids {
			if found[id] != (i < 300) {
				t.Errorf("id %d is found: %v", i, found[id])
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
