package mariadb

import (
	"database/sql"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"
)

// A sender that was away for weeks sends again what was filed before its
// partition was dropped: it counts no second time, for 60 days.
func TestRetire_KnowsRepeatsOfWhatWasDropped(t *testing.T) {
	b := open1(t, noon)
	if err := b.ChangeProject(t.Context(), b.project.ID, ProjectChange{KeepDays: 7}); err != nil {
		t.Fatal(err)
	}
	b.project.KeepDays = 7
	var list []occur
	for i := range 150 {
		list = append(list, occur{id: fmt.Sprint("e", i), function: "tideAt", user: "p-1", release: "4.2.0", at: noon.Add(-time.Duration(i%3) * day)})
	}
	odd := occur{id: "odd", function: "tideAt", user: "p-1"} // it does not say when it was thrown
	b.file(append(list, odd)...)
	b.retireAt(noon.Add(12 * day))
	if left := b.one("SELECT COUNT(*) FROM event"); left != 0 {
		t.Fatalf("%d events are left", left)
	}
	fresh := occur{id: "fresh", function: "tideAt", user: "p-1", at: noon.Add(-day)} // never seen, and just as old
	for _, after := range []int{12, 40, 66} {
		b.retireAt(noon.Add(time.Duration(after) * day))
		if done := b.file(append([]occur{odd}, list...)...); done.Events != 0 || done.Repeats != 151 {
			t.Errorf("sent again after %d days: %+v, want 151 repeats", after, done)
		}
	}
	if done := b.file(fresh); done.Events != 1 {
		t.Errorf("an old event that was never sent: %+v", done)
	}
	b.wantCounts(1, 152, 1)
	b.recounted()
	b.retireAt(noon.Add(90 * day))
	if left := b.one("SELECT (SELECT COUNT(*) FROM dropped_id WHERE keep_day<?)+(SELECT COUNT(*) FROM odd_event WHERE keep_day<?)", Day(b.now)-graceDays-droppedDays, Day(b.now)-graceDays-droppedDays); left != 0 {
		t.Errorf("%d rows are kept beyond their time", left)
	}
}

// A day that is written down in parts, or again after a crash, is found whole.
func TestKeepIDs_FindsEveryID(t *testing.T) {
	b := open1(t, noon)
	var list []occur
	for i := range 300 {
		list = append(list, occur{id: fmt.Sprint("e", i), function: "tideAt", at: noon})
	}
	b.file(list...)
	keep := Day(noon) + b.project.KeepDays
	for range 2 {
		if err := b.keepIDs(t.Context(), keep); err != nil {
			t.Fatal(err)
		}
	}
	if n := b.one("SELECT SUM(LENGTH(hashes)) FROM dropped_id"); n != 300*8 {
		t.Errorf("%d bytes are kept of 300 ids", n)
	}
	part := fmt.Sprintf("event PARTITION (p%d)", keep)
	if _, err := b.db.Exec("DELETE FROM dropped_id"); err != nil {
		t.Fatal(err)
	}
	for from := range 7 {
		if err := b.keepBuckets(t.Context(), part, b.project.ID, keep, 7, from, from+1); err != nil {
			t.Fatal(err)
		}
	}
	err := b.InTx(t.Context(), func(tx *sql.Tx) error {
		w := &filing{s: b.Store, tx: tx, Filing: Filing{Project: b.project.Project}, now: b.now}
		found := map[uuid.UUID]bool{}
		var ids []uuid.UUID
		for i := range 301 { // the last one is not there
			ids = append(ids, uuid.NewSHA1(uuid.Nil, []byte(fmt.Sprint("e", i))))
		}
		if err := w.droppedOn(t.Context(), keep, ids, found); err != nil {
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
