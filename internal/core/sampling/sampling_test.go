package sampling

import (
	"encoding/binary"
	"math"
	"testing"
)

func id(n int) (out [16]byte) {
	binary.BigEndian.PutUint64(out[8:], uint64(n))
	return out
}

func TestKeep_SaysWhy(t *testing.T) {
	never := id(0)
	for n := 1; share(never) < 0.5; n++ {
		never = id(n)
	}
	for name, c := range map[string]struct {
		facts Facts
		want  Reason
	}{
		"the first":                            {Facts{}, Among},
		"the hundredth":                        {Facts{ID: never, Kept: 99, Events: 99}, Among},
		"few kept of many, after days dropped": {Facts{ID: never, Kept: 3, Events: 1_000_000}, Among},
		"one more of a flood":                  {Facts{ID: never, Kept: 100, Events: 1_000_000}, None},
		"a new release in a flood":             {Facts{ID: never, Kept: 900, Events: 1_000_000, FirstOf: true}, FirstOf},
		"the next after the first hundred":     {Facts{ID: never, Kept: 100, Events: 100}, Chosen},
	} {
		if got := Keep(c.facts); got != c.want {
			t.Errorf("%s: Keep = %q, want %q", name, got, c.want)
		}
	}
}

func TestKeep_GrowsWithTheLogarithm(t *testing.T) {
	const events = 200_000
	kept := int64(0)
	for n := range int64(events) {
		if Keep(Facts{ID: id(int(n)), Kept: kept, Events: n}) != None {
			kept++
		}
	}
	want := Always * (1 + math.Log(events/Always))
	if math.Abs(float64(kept)-want) > want/10 {
		t.Errorf("%d of %d bodies are kept, want about %.0f", kept, events, want)
	}
}
