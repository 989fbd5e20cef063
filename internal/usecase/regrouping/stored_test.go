package regrouping

import (
	"encoding/json"
	"testing"
)

// A regrouping that an older version began must go on with the positions it stored.
func TestShownEvent_ReadsRowsOfOlderVersions(t *testing.T) {
	var e shownEvent
	if err := json.Unmarshal([]byte(`{"Headline":"TideError in tideAt","Filing":12,"Thrown":40}`), &e); err != nil {
		t.Fatal(err)
	}
	if e.Headline != "TideError in tideAt" || e.Position != 12 || e.Thrown != 40 {
		t.Errorf("%+v", e)
	}
}
