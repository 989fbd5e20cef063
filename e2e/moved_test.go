package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// tideRows is a function that moves to another file; its fourth line fails.
const tideRows = `export function tideRows(days, port) {
	const rows = []
	for (const day of days) {
		if (day.port.name !== port) continue
		rows.push({ day, low: lowWater(day.height / 2), high: highWater(day.height) })
	}
	return rows.filter(row => row.low < row.high).sort((a, b) => a.day.at - b.day.at)
}
`

// The maps of two releases let a function that moved keep its fingerprint,
// whatever the order of events.
func TestFingerprint_FollowsAMovedFunction(t *testing.T) {
	t.Parallel()
	s := shared
	dir := t.TempDir()
	var flags, events []string
	for _, r := range [][2]string{{"4.2.0", "src/tables.ts"}, {"4.3.0", "src/tides/tables.ts"}} {
		maps := filepath.Join(dir, "maps-"+r[0])
		raw, err := json.Marshal(map[string]any{"version": 3, "file": "app.js", "sources": []string{r[1]}, "sourcesContent": []string{tideRows}, "names": []string{}, "mappings": "AAGE"})
		if err != nil {
			t.Fatal(err)
		}
		if err := os.MkdirAll(maps, 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(maps, "app.js.map"), raw, 0o600); err != nil {
			t.Fatal(err)
		}
		flags = append(flags, "--maps", r[0]+"="+maps)
		events = append(events, fmt.Sprintf(`{"exceptions":[{"type":"TypeError","message":"no port","stack":"TypeError: no port\n    at a (https://quayside.example/app.js:1:1)"}],"resource":{"service.version":%q}}`, r[0]))
	}
	for _, order := range [][]int{{0, 1}, {1, 0}} {
		file := filepath.Join(dir, "events.ndjson")
		if err := os.WriteFile(file, []byte(events[order[0]]+"\n"+events[order[1]]+"\n"), 0o600); err != nil {
			t.Fatal(err)
		}
		out, _ := s.run(t, 0, append(append([]string{"fingerprint", "--format", "json"}, flags...), file)...)
		lines := strings.Split(strings.TrimSpace(out), "\n")
		var got [2]struct {
			Fingerprint string
			Followed    *struct{ From, To, Release, Function string }
		}
		for i, l := range lines {
			if err := json.Unmarshal([]byte(l), &got[i]); err != nil {
				t.Fatal(err)
			}
		}
		if got[0].Fingerprint != got[1].Fingerprint || got[order[0]].Followed != nil {
			t.Errorf("in the order %v:\n%s", order, out)
		}
		if f := got[order[1]].Followed; f == nil || f.From != "src/tables.ts" || f.To != "src/tides/tables.ts" || f.Release != "4.3.0" || f.Function != "tideRows" {
			t.Errorf("followed: %+v", f)
		}
		if out, _ = s.run(t, 0, append(append([]string{"fingerprint"}, flags...), file)...); !strings.Contains(out, "followed: tideRows moved from src/tables.ts to src/tides/tables.ts in 4.3.0") {
			t.Errorf("in words:\n%s", out)
		}
	}
	for flag, want := range map[string]string{"4.2.0=" + dir + ",4.2.0=" + dir: "names release 4.2.0 twice", dir + "," + dir: "names two directories for every release", "4.2.0=" + filepath.Join(dir, "none"): "none"} {
		args := []string{"fingerprint"}
		for _, f := range strings.Split(flag, ",") {
			args = append(args, "--maps", f)
		}
		if _, errs := s.run(t, 2, append(args, filepath.Join(dir, "events.ndjson"))...); !strings.Contains(errs, want) {
			t.Errorf("%s: %s", flag, errs)
		}
	}
}
