package impact

import (
	"cmp"
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "write the files that tests compare with")

// situations are twelve mornings' worth of issues, in the order in which a
// sensible person would look at them. 1,200 people use the application.
var situations = []struct {
	name string
	days int // since it was first seen
	Facts
}{
	{"the ticket page fails for all since the release of this morning", 0, Facts{Users: 640, Events: 2_100, Recent: 2_100, Unhandled: true, Newest: true, Severity: "fatal"}},
	{"came back in the newest release, and spreads", 90, Facts{Users: 260, Events: 900, Recent: 700, Unhandled: true, Regressed: true, Severity: "error"}},
	{"many users, once each", 10, Facts{Users: 500, Events: 500, Recent: 80, Unhandled: true, Severity: "error"}},
	{"a surge: far more often than last week", 40, Facts{Users: 140, Events: 1_000, Recent: 620, Unhandled: true, Severity: "error"}},
	{"old and steady, some users every day", 200, Facts{Users: 180, Events: 2_800, Recent: 300, Unhandled: true, Severity: "error"}},
	{"handled noise: a retry that works the second time", 200, Facts{Users: 300, Events: 30_000, Recent: 3_000, Severity: "warning"}},
	{"new in the newest release, a few users yet", 1, Facts{Users: 14, Events: 22, Recent: 22, Unhandled: true, Newest: true, Severity: "error"}},
	{"fatal, for a handful", 30, Facts{Users: 9, Events: 9, Recent: 1, Unhandled: true, Severity: "fatal"}},
	{"one user in a loop", 5, Facts{Users: 1, Events: 10_000, Recent: 9_800, Unhandled: true, Severity: "error"}},
	{"a job without users, every night", 60, Facts{Users: 0, Events: 14, Recent: 1, Unhandled: true, Severity: "error"}},
	{"once, nobody knows why", 3, Facts{Users: 1, Events: 1, Severity: "error"}},
	{"an information somebody reports as an event", 20, Facts{Users: 2, Events: 4, Recent: 1, Severity: "info"}},
}

// The list and its arithmetic stand in testdata/situations.txt, for the reader
// to judge: the impact must put them in the order in which they stand above.
func TestSituations(t *testing.T) {
	type line struct {
		place int
		Score
	}
	var lines []line
	for i, x := range situations {
		x.Active, x.Release, x.Now, x.FirstSeen = 1200, "4.2.0", nine, nine.AddDate(0, 0, -x.days)
		lines = append(lines, line{i, Of(x.Facts, Default)})
	}
	slices.SortStableFunc(lines, func(a, b line) int { return cmp.Compare(b.Points, a.Points) })
	var b strings.Builder
	for i, l := range lines {
		if l.place != i {
			t.Errorf("%q is number %d, want %d", situations[l.place].name, i+1, l.place+1)
		}
		fmt.Fprintf(&b, "%d. %s\n", i+1, situations[l.place].name)
		for _, p := range l.Parts {
			fmt.Fprintf(&b, "   %5.1f of %4.1f  %-9s  %s\n", p.Points, p.Max, p.Name, p.Text)
		}
		fmt.Fprintf(&b, "   %5.1f in all: %s\n", l.Points, l.Text)
	}
	const file = "testdata/situations.txt"
	if *update {
		if err := os.WriteFile(file, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if b.String() != string(want) {
		t.Errorf("the arithmetic changed; run with -update and read %s:\n%s", file, b.String())
	}
}
