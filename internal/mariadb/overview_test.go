package mariadb

import (
	"testing"
)

func TestOverview_CountsWhatAPageOfProjectsShows(t *testing.T) {
	b := open1(t, noon)
	o, err := b.Overview(t.Context(), b.project.ID)
	if err != nil || o.New != 0 || o.Newest != "" || o.Days != [14]int64{} {
		t.Errorf("an empty project: %+v %v", o, err)
	}
	b.file(occur{id: "1", function: "tideAt", release: "4.2.0", at: noon, stands: 3}, occur{id: "2", function: "priceOf", release: "4.2.0", at: noon})
	if err := b.RefreshBasis(t.Context(), b.project.ID); err != nil {
		t.Fatal(err)
	}
	o, err = b.Overview(t.Context(), b.project.ID)
	if err != nil {
		t.Fatal(err)
	}
	sum := int64(0)
	for _, n := range o.Days {
		sum += n
	}
	if o.New != 2 || sum != b.one("SELECT SUM(events) FROM issue_list") || o.Days[13] != sum || o.Failed != 0 || o.Surging != 0 || o.Newest == "" {
		t.Errorf("%+v", o)
	}
	if _, err := b.db.Exec("INSERT INTO set_aside (id, project, received, error, body) VALUES (UNHEX(REPEAT('0',32)), ?, 1, 'spoilt', '')", b.project.ID); err != nil {
		t.Fatal(err)
	}
	if o, err = b.Overview(t.Context(), b.project.ID); err != nil || o.Failed != 1 {
		t.Errorf("%+v %v", o, err)
	}
}
