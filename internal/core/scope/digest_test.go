package scope

import (
	"strings"
	"testing"
)

const tideRows = `export function tideRows(days: Day[], port = "Eider") {
	// each day with its rows
	const rows = []
	for (const day of days) {
		if (day.port !== port) continue
		rows.push({ day, low: lowWater(day.height / 2), text: ` + "`low at ${day.low.time}`" + ` })
	}
	return rows.filter(row => /^low/.test(row.text))
}`

func TestDigestOf_LeavesOutWhatARefactoringChanges(t *testing.T) {
	of := DigestOf(tideRows)
	renamed := strings.NewReplacer("rows", "list", "day of", "d of", "(const day", "(const d", "\t", "  ", "// each day with its list", "/* said anew */").Replace(tideRows)
	for name, c := range map[string]struct {
		text     string
		from, to float64
	}{
		"the same":                      {tideRows, 1, 1},
		"set anew, without its comment": {strings.ReplaceAll(strings.ReplaceAll(tideRows, "\t", "    "), "// each day with its rows\n", "\n"), 1, 1},
		"other names of locals":         {strings.ReplaceAll(tideRows, "rows", "list"), 1, 1},
		"one statement more":            {strings.Replace(tideRows, "const rows = []", "const rows = []\n\tlog('tide rows', days.length)", 1), 0.6, 0.95},
		"another function":              {`function fareOf(kind: string) { const fare = fares.get(kind); if (!fare) throw new FareError(kind); return fare.price * 2 }`, 0, 0.2},
	} {
		if got := of.Like(DigestOf(c.text)); got < c.from || got > c.to {
			t.Errorf("%s: %.2f, want %.2f to %.2f", name, got, c.from, c.to)
		}
	}
	if like := of.Like(DigestOf(renamed)); like < 0.6 {
		t.Errorf("renamed and set anew: %.2f\n%q\n%q", like, normal(tideRows), normal(renamed))
	}
}

func TestDigest_ComesBackFromItsText(t *testing.T) {
	d := DigestOf(tideRows)
	if back := ParseDigest(d.String()); back != d || d.IsZero() {
		t.Errorf("%+v is %+v", d, back)
	}
	for _, s := range []string{"", "x", strings.Repeat("A", 98)} {
		if !ParseDigest(s).IsZero() {
			t.Errorf("%q is a digest", s)
		}
	}
}

// Texts that are made to take long end soon.
func TestDigestOf_Ends(t *testing.T) {
	for _, s := range []string{"(", "let ", "{", "`${", "/", "function(", "a=>"} {
		DigestOf(strings.Repeat(s, 200_000/len(s)))
	}
}
