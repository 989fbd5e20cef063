package together

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func TestFind_TellsTiesFromChance(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	const span = 7 * 24 * time.Hour
	var of, others []Occurrence
	for i := range 40 {
		at := noon.Add(time.Duration(rng.Int64N(int64(span))))
		user := int64(i%20 + 1)
		of = append(of, Occurrence{Issue: 1, Thrown: at, User: user, Session: fmt.Sprint("s", i)})
		if i%2 == 0 { // two seconds before, in the same session
			others = append(others, Occurrence{Issue: 2, Thrown: at.Add(-2 * time.Second), User: user, Session: fmt.Sprint("s", i)})
		}
		for range 30 { // often, but whenever
			others = append(others, Occurrence{Issue: 3, Thrown: noon.Add(time.Duration(rng.Int64N(int64(span)))), User: user})
		}
		others = append(others, Occurrence{Issue: 4, Thrown: at, User: 99}) // at the same time, to others
		others = append(others, Occurrence{Issue: 1, Thrown: at, User: user})
	}
	got := Find(of, others, span)
	if len(got) != 1 || got[0].Issue != 2 || got[0].With != 20 || got[0].Of != 40 || got[0].Gap != -2*time.Second || got[0].By != "session" {
		t.Fatalf("%+v", got)
	}
	if got[0].ByChance > 0.1 || got[0].ByChance <= 0 {
		t.Errorf("by chance %v", got[0].ByChance)
	}
}

func TestFind_FewAreNoProof(t *testing.T) {
	of := []Occurrence{{Issue: 1, Thrown: noon, User: 1}, {Issue: 1, Thrown: noon.Add(time.Hour), User: 2}}
	others := []Occurrence{{Issue: 2, Thrown: noon, User: 1}, {Issue: 2, Thrown: noon.Add(time.Hour), User: 2}}
	if got := Find(of, others, 24*time.Hour); len(got) != 0 {
		t.Errorf("%+v", got)
	}
}
