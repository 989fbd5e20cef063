package releases_test

import (
	"fmt"
	"testing"
	"time"

	"firethorn/internal/testbed"
)

// TestReleases_CountsAfterWhateverHappensToIssues: counts of issues are remembered between
// questions, so each way of changing them is asked about before and after.
func TestReleases_CountsAfterWhateverHappensToIssues(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	want := func(when, counts string) {
		t.Helper()
		list, err := b.Releases.Releases(t.Context(), b.Project)
		got := ""
		for _, r := range list {
			got += fmt.Sprintf("%s: %d events, %d issues, %d new, %s; ", r.Version, r.Events, r.Issues, r.New, r.FirstSeen.Format(time.TimeOnly))
		}
		if err != nil || got != counts {
			t.Errorf("%s: %s %v, want %s", when, got, err, counts)
		}
	}
	b.File(testbed.Event{ID: "1", Function: "tideAt", Release: "4.2.0", At: testbed.Noon.Add(-time.Hour)},
		testbed.Event{ID: "2", Function: "priceOf", Release: "4.2.0", At: testbed.Noon})
	want("two issues", "4.2.0: 2 events, 2 issues, 2 new, 11:00:00; ")
	b.File(testbed.Event{ID: "3", Function: "tideAt", Release: "4.2.0", At: testbed.Noon},
		testbed.Event{ID: "4", Function: "berthOf", Release: "4.2.0", At: testbed.Noon})
	want("another event and another issue", "4.2.0: 4 events, 3 issues, 3 new, 11:00:00; ")
	b.Merge(2, 1)
	b.Followed()
	want("merged", "4.2.0: 4 events, 2 issues, 2 new, 11:00:00; ")
	if err := b.Undo(2); err != nil {
		t.Fatal(err)
	}
	b.Followed()
	want("taken back", "4.2.0: 4 events, 3 issues, 3 new, 11:00:00; ")
	one := b.Issue(1)
	if _, err := b.Retention.Delete(t.Context(), one.ID, one.Events, testbed.Maren); err != nil {
		t.Fatal(err)
	}
	for more := true; more; {
		var err error
		if more, err = b.Retention.EmptyNext(t.Context(), b.Project.ID); err != nil {
			t.Fatal(err)
		}
	}
	want("deleted", "4.2.0: 2 events, 2 issues, 2 new, 12:00:00; ")
	b.Recounted()
}
