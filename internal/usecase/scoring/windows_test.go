package scoring_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"firethorn/internal/testbed"
)

// Windows move on by the users who leave. Whatever happens meanwhile, a full count must agree.
func TestWindows_MoveByWhoLeaves(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	rng := rand.New(rand.NewPCG(7, 11))
	functions := []string{"tideAt", "getJSON", "placeBerths"}
	merged := false
	for step := range 40 {
		b.Now = b.Now.Add(time.Duration(rng.IntN(60)) * time.Hour)
		if step == 25 {
			b.Now = b.Now.Add(20 * 24 * time.Hour) // all users leave
		}
		var list []testbed.Event
		for range rng.IntN(6) {
			list = append(list, testbed.Event{Function: functions[rng.IntN(len(functions))], User: fmt.Sprint("p-", rng.IntN(12)),
				At: b.Now.Add(-time.Duration(rng.IntN(12*24)) * time.Hour)})
		}
		if len(list) > 0 {
			b.File(list...)
		}
		switch {
		case step == 8:
			b.Merge(1, 2)
			merged = true // its rows have not followed yet
		case step == 15 && merged:
			b.Followed()
			if err := b.Undo(1); err != nil {
				t.Fatal(err)
			}
		case step%5 == 0:
			b.Followed()
			b.Current(fmt.Sprint("step ", step))
		}
		if step < 8 || step%5 == 0 {
			b.Followed()
			b.Recounted()
		}
	}
}
