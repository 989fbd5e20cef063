package mariadb

import (
	"encoding/json"
	"strings"
	"testing"

	"firethorn/internal/core/issue"
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

// source is a map of one bundle with sources by path; position 1:1 comes from
// the fourth line of the first one.
func sourcesMap(t *testing.T, paths, texts []string) string {
	t.Helper()
	raw, err := json.Marshal(map[string]any{"version": 3, "sources": paths, "sourcesContent": texts, "names": []string{}, "mappings": "AAGE"})
	if err != nil {
		t.Fatal(err)
	}
	return string(raw)
}

// followMoves compares new issues with known ones, and lets counts arrive.
func (b *bench) followMoves() {
	b.t.Helper()
	for more := true; more; {
		b.units.Forget(b.project.ID)
		var err error
		if more, err = b.FollowMoved(b.t.Context(), b.project, b.units, nil); err != nil {
			b.t.Fatal(err)
		}
	}
	b.followed()
}

func (b *bench) release(version, path, text string, more ...string) {
	b.t.Helper()
	paths, texts := []string{path}, []string{text}
	for i := 0; i+1 < len(more); i += 2 {
		paths, texts = append(paths, more[i]), append(texts, more[i+1])
	}
	b.pushMap(version, sourcesMap(b.t, paths, texts))
	b.units.Forget(b.project.ID)
	b.raws(raw{"no port", version, "p-" + version, "", 1})
}

func TestFollowMoved_KeepsTheIssueOfAFunctionThatMoved(t *testing.T) {
	b := open1(t, noon)
	b.release("4.2.0", "src/tables.ts", tideRows)
	b.followMoves()
	b.fix(1, "4.2.1")
	b.release("4.3.0", "src/tides/tables.ts", strings.Replace(tideRows, "const rows = []", "const rows = [] // anew", 1))
	b.wantCounts(2, 1, 1)
	b.followMoves()
	b.recounted()
	b.wantCounts(1, 2, 2)
	if is := b.issue(2); is.Number != 1 {
		t.Fatalf("the new issue leads to %d", is.Number)
	}
	b.state(1, issue.Regressed)
	list, err := b.History(t.Context(), b.issue(1).ID)
	if err != nil {
		t.Fatal(err)
	}
	words := ""
	for _, h := range list {
		words += h.Words + "\n"
	}
	if !strings.Contains(words, "followed: tideRows moved from src/tables.ts to src/tides/tables.ts in 4.3.0") {
		t.Errorf("history:\n%s", words)
	}
	// What comes later finds it, and a further move is followed as well.
	b.raws(raw{"no port", "4.3.0", "p-9", "", 1})
	b.wantCounts(1, 3, 3)
	b.release("4.4.0", "src/features/tides/tables.ts", tideRows)
	b.followMoves()
	b.wantCounts(1, 4, 4)
	// Taken back, it is an issue of its own, and is not asked about again.
	if err := b.undo(1); err != nil {
		t.Fatal(err)
	}
	b.followMoves()
	b.recounted()
	b.wantCounts(1, 3, 3)
	b.wantCounts(3, 1, 1)
}

func TestFollowMoved_FollowsNothingThatIsNotCertain(t *testing.T) {
	other := strings.NewReplacer("lowWater", "fareOf", "highWater", "seatOf", "day.height / 2", "day.kind", "row.low < row.high", "row.paid").Replace(tideRows)
	other = strings.Replace(other, "continue", "throw new RangeError(port + day.kind + day.seats.length)", 1)
	for name, later := range map[string]func(b *bench){
		"its old place is still there": func(b *bench) { b.release("4.3.0", "src/tides/tables.ts", tideRows, "src/tables.ts", tideRows) },
		"another function of the name": func(b *bench) {
			b.release("4.3.0", "src/fares/tables.ts", other, "src/x.ts", strings.Replace(other, "fareOf", "taxOf", 1))
		},
		"two with that text": func(b *bench) { b.release("4.3.0", "src/a/tables.ts", tideRows, "src/b/tables.ts", tideRows) },
		"an older release":   func(b *bench) { b.release("4.1.0", "src/tides/tables.ts", tideRows) },
		"the same release":   func(b *bench) { b.release("4.2.0-rc.1", "src/tides/tables.ts", tideRows) },
		"it was dismissed": func(b *bench) {
			b.act(1, issue.Action{Verb: issue.Dismiss})
			b.release("4.3.0", "src/tides/tables.ts", tideRows)
		},
		"another function name": func(b *bench) {
			b.release("4.3.0", "src/tides/tables.ts", strings.Replace(tideRows, "tideRows", "rowsOf", 1))
		},
	} {
		t.Run(name, func(t *testing.T) {
			b := open1(t, noon)
			b.release("4.2.0", "src/tables.ts", tideRows)
			b.followMoves()
			later(b)
			b.followMoves()
			b.wantCounts(2, 1, 1)
			if is := b.issue(2); is.Number != 2 {
				t.Errorf("it was followed to %d", is.Number)
			}
		})
	}
}

// Adopting another version has symbols of older forms compiled anew first.
func TestPrepareSymbolsAnew_TakesThoseOfOlderForms(t *testing.T) {
	b := open1(t, noon)
	b.release("4.2.0", "src/tables.ts", tideRows)
	b.release("4.3.0", "src/tides/tables.ts", tideRows)
	if _, err := b.db.ExecContext(t.Context(), "UPDATE symbol_unit SET format=2 ORDER BY id LIMIT 1"); err != nil {
		t.Fatal(err)
	}
	if n, err := b.PrepareSymbolsAnew(t.Context(), b.project.ID, 3); err != nil || n != 1 {
		t.Fatalf("%d, %v", n, err)
	}
	if list, err := b.WaitingSymbols(t.Context(), b.project.ID, 10); err != nil || len(list) != 1 {
		t.Errorf("%+v, %v", list, err)
	}
}
