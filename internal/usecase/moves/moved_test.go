package moves_test

import (
	"strings"
	"testing"

	"firethorn/internal/core/issue"
	"firethorn/internal/testbed"
)

// tideRows is long enough to be told from other functions; its fourth line fails.
const tideRows = `export function tideRows(days, port) {
	const rows = []
	for (const day of days) {
		if (day.port.name !== port) continue
		rows.push({ day, low: lowWater(day.height / 2), high: highWater(day.height) })
	}
	return rows.filter(row => row.low < row.high).sort((a, b) => a.day.at - b.day.at)
}
`

func TestFollowMoved_KeepsTheIssueOfAFunctionThatMoved(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Release("4.2.0", "src/tables.ts", tideRows)
	b.FollowMoves()
	b.Fix(1, "4.2.1")
	b.Release("4.3.0", "src/tides/tables.ts", strings.Replace(tideRows, "const rows = []", "const rows = [] // anew", 1))
	b.WantCounts(2, 1, 1)
	b.FollowMoves()
	b.Recounted()
	b.WantCounts(1, 2, 2)
	if is := b.Issue(2); is.Number != 1 {
		t.Fatalf("the new issue leads to %d", is.Number)
	}
	b.State(1, issue.Regressed)
	list, err := b.Issues.History(t.Context(), b.Issue(1).ID)
	if err != nil {
		t.Fatal(err)
	}
	text := ""
	for _, h := range list {
		text += h.Text + "\n"
	}
	if !strings.Contains(text, "followed: tideRows moved from src/tables.ts to src/tides/tables.ts in 4.3.0") {
		t.Errorf("history:\n%s", text)
	}
	// What comes later finds it, and a further move is followed as well.
	b.Raws(testbed.Raw{Message: "no port", Release: "4.3.0", User: "p-9", ID: "", Column: 1})
	b.WantCounts(1, 3, 3)
	b.Release("4.4.0", "src/features/tides/tables.ts", tideRows)
	b.FollowMoves()
	b.WantCounts(1, 4, 4)
	// Taken back, it is an issue of its own, and is not asked about again.
	if err := b.Undo(1); err != nil {
		t.Fatal(err)
	}
	b.FollowMoves()
	b.Recounted()
	b.WantCounts(1, 3, 3)
	b.WantCounts(3, 1, 1)
}

func TestFollowMoved_FollowsNothingThatIsNotCertain(t *testing.T) {
	other := strings.NewReplacer("lowWater", "fareOf", "highWater", "seatOf", "day.height / 2", "day.kind", "row.low < row.high", "row.paid").Replace(tideRows)
	other = strings.Replace(other, "continue", "throw new RangeError(port + day.kind + day.seats.length)", 1)
	for name, later := range map[string]func(b *testbed.Bench){
		"its old place is still there": func(b *testbed.Bench) { b.Release("4.3.0", "src/tides/tables.ts", tideRows, "src/tables.ts", tideRows) },
		"another function of the name": func(b *testbed.Bench) {
			b.Release("4.3.0", "src/fares/tables.ts", other, "src/x.ts", strings.Replace(other, "fareOf", "taxOf", 1))
		},
		"two with that text": func(b *testbed.Bench) { b.Release("4.3.0", "src/a/tables.ts", tideRows, "src/b/tables.ts", tideRows) },
		"an older release":   func(b *testbed.Bench) { b.Release("4.1.0", "src/tides/tables.ts", tideRows) },
		"the same release":   func(b *testbed.Bench) { b.Release("4.2.0-rc.1", "src/tides/tables.ts", tideRows) },
		"it was dismissed": func(b *testbed.Bench) {
			b.Act(1, issue.Action{Verb: issue.Dismiss})
			b.Release("4.3.0", "src/tides/tables.ts", tideRows)
		},
		"another function name": func(b *testbed.Bench) {
			b.Release("4.3.0", "src/tides/tables.ts", strings.Replace(tideRows, "tideRows", "rowsOf", 1))
		},
	} {
		t.Run(name, func(t *testing.T) {
			b := testbed.Open(t, testbed.Noon)
			b.Release("4.2.0", "src/tables.ts", tideRows)
			b.FollowMoves()
			later(b)
			b.FollowMoves()
			b.WantCounts(2, 1, 1)
			if is := b.Issue(2); is.Number != 2 {
				t.Errorf("it was followed to %d", is.Number)
			}
		})
	}
}

// Adopting another version has symbols of older forms compiled again first.
func TestPrepareSymbolsAnew_TakesThoseOfOlderForms(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	b.Release("4.2.0", "src/tables.ts", tideRows)
	b.Release("4.3.0", "src/tides/tables.ts", tideRows)
	if _, err := b.DB.ExecContext(t.Context(), "UPDATE symbol_unit SET format=2 ORDER BY id LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	if n, err := b.Symbols.PrepareSymbolsAnew(t.Context(), b.Project.ID, 3); err != nil || n != 1 {
		t.Fatalf("%d, %v", n, err)
	}
	if list, err := b.Symbols.WaitingSymbols(t.Context(), b.Project.ID, 10); err != nil || len(list) != 1 {
		t.Errorf("%+v, %v", list, err)
	}
}
