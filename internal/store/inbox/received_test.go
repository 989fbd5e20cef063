package inbox_test

import (
	"strings"
	"testing"

	"firethorn/internal/store/inbox"
	"firethorn/internal/testbed"
)

func TestClientDrops_NamesAreBounded(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	drops := map[string]int64{"queue_full": 3, "A strange <name>": 2, "nothing": 0}
	for i := range 40 {
		drops["made_"+strings.Repeat("x", i%35)+string(rune('a'+i%26))] = 1
	}
	if err := b.Inbox.ClientDrops(t.Context(), b.Project.ID, drops); err != nil {
		t.Fatal(err)
	}
	if err := b.Inbox.ClientDrops(t.Context(), b.Project.ID, map[string]int64{"another": 5}); err != nil {
		t.Fatal(err)
	}
	names, sum := b.One("SELECT COUNT(*) FROM received WHERE cause='lost_by_client'"), b.One("SELECT SUM(events) FROM received WHERE cause='lost_by_client'")
	if names > inbox.MaxLost+1 || sum != 50 {
		t.Errorf("%d names that count %d", names, sum)
	}
}
