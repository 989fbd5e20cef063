package pipeline

import (
	"testing"

	"firethorn/internal/core/sourcemap"
)

// Symbols that are compiled again while they are open are opened again, also when
// another process compiled them.
func TestUnits_OpenAnewWhatWasCompiledAnew(t *testing.T) {
	s := &shelf{}
	u := NewUnits(s, 1<<20)
	place := func() int32 {
		t.Helper()
		f, why, err := u.unit(t.Context(), 1)
		if err != nil || f == nil {
			t.Fatalf("%s, %v", why, err)
		}
		o, _, err := f.Find(sourcemap.Pos{})
		if err != nil {
			return -1
		}
		return o.Pos.Line
	}
	if line := place(); line != 16 {
		t.Fatalf("line %d", line)
	}
	s.content = `{"version":3,"sources":["src/tides.ts","src/gates.ts"],"names":["tideAt"],"mappings":"AAEAA"}`
	if _, err := u.Compile(t.Context(), []SymbolUnit{{ID: 1, Project: 1, State: "waiting", Map: [32]byte{1}, Raw: 100}}); err != nil {
		t.Fatal(err)
	}
	if line := place(); line != 2 {
		t.Errorf("after it was compiled here it reads line %d", line)
	}
	other := NewUnits(s, 1<<20)
	u.open.Clear() // so that no block is at hand
	if _, _, err := u.unit(t.Context(), 1); err != nil {
		t.Fatal(err)
	}
	s.content = `{"version":3,"sources":["src/tides.ts","src/gates.ts","src/x.ts"],"names":["tideAt"],"mappings":"AASAA"}`
	if _, err := other.Compile(t.Context(), []SymbolUnit{{ID: 1, Project: 1, State: "waiting", Map: [32]byte{1}, Raw: 100}}); err != nil {
		t.Fatal(err)
	}
	if line := place(); line != -1 {
		t.Errorf("what is not there any more reads line %d", line)
	}
	if line := place(); line != 9 {
		t.Errorf("the next look-up reads line %d", line)
	}
}
