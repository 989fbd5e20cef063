package moves

import (
	"encoding/json"
	"testing"
)

// Rows of the list that older versions stored for an undo must keep their positions.
func TestListRow_ReadsRowsOfOlderVersions(t *testing.T) {
	var l listRow
	if err := json.Unmarshal([]byte(`{"Headline":"TideError in tideAt","FirstFiling":12,"LastFiling":40}`), &l); err != nil {
		t.Fatal(err)
	}
	if l.Headline != "TideError in tideAt" || l.FirstPosition != 12 || l.LastPosition != 40 {
		t.Errorf("%+v", l)
	}
}
