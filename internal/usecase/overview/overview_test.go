package overview_test

import (
	"testing"

	"firethorn/internal/testbed"
)

func TestOverview_CountsWhatAPageOfProjectsShows(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	o, err := b.Overview.Overview(t.Context(), b.Project.ID)
	if err != nil || o.New != 0 || o.Newest != "" || o.Days != [14]int64{} {
		t.Errorf("an empty project: %+v %v", o, err)
	}
	b.File(testbed.Event{ID: "1", Function: "tideAt", Release: "4.2.0", At: testbed.Noon, Stands: 3}, testbed.Event{ID: "2", Function: "priceOf", Release: "4.2.0", At: testbed.Noon})
	if err := b.Scoring.RefreshInputs(t.Context(), b.Project.ID); err != nil {
		t.Fatal(err)
	}
	o, err = b.Overview.Overview(t.Context(), b.Project.ID)
	if err != nil {
		t.Fatal(err)
	}
	sum := int64(0)
	for _, n := range o.Days {
		sum += n
	}
	if o.New != 2 || sum != b.One("SELECT SUM(events) FROM issue_list") || o.Days[13] != sum || o.Failed != 0 || o.Surging != 0 || o.Newest == "" {
		t.Errorf("%+v", o)
	}
	if _, err := b.DB.Exec("INSERT INTO failed_event (id, project, received, error, body) VALUES (UNHEX(REPEAT('0',32)), ?, 1, 'spoilt', '')", b.Project.ID); err != nil {
		t.Fatal(err)
	}
	if o, err = b.Overview.Overview(t.Context(), b.Project.ID); err != nil || o.Failed != 1 {
		t.Errorf("%+v %v", o, err)
	}
}
