package regroup

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"

	"firethorn/internal/core/fingerprint"
)

func key(s string) (k fingerprint.Key) { copy(k[:], s); return k }

// c reads a cell: issue, fingerprint now and then, events; r: by a rule, p: split off.
func c(issue int64, now, then string, events int64, marks ...string) Cell {
	x := Cell{Issue: issue, Now: key(now), Then: key(then), Events: events}
	for _, m := range marks {
		x.Ruled, x.Part = x.Ruled || m == "r", x.Part || m == "p"
	}
	return x
}

func TestDecide(t *testing.T) {
	for name, test := range map[string]struct {
		cells   []Cell
		want    []Target
		emptied map[int64]Target
	}{
		"nothing changes":                          {[]Cell{c(1, "a", "a", 5), c(2, "b", "b", 3)}, []Target{{Issue: 1}, {Issue: 2}}, nil},
		"a rule splits: most keep the number":      {[]Cell{c(1, "a", "x", 2, "r"), c(1, "a", "y", 5, "r"), c(1, "a", "z", 1, "r")}, []Target{{New: 1}, {Issue: 1}, {New: 2}}, nil},
		"a rule takes a part":                      {[]Cell{c(1, "a", "a", 2), c(1, "a", "y", 5, "r")}, []Target{{Issue: 1}, {New: 1}}, nil},
		"a rule joins":                             {[]Cell{c(1, "a", "x", 2, "r"), c(2, "b", "x", 5, "r"), c(3, "c", "x", 1, "r")}, []Target{{Issue: 2}, {Issue: 2}, {Issue: 2}}, map[int64]Target{1: {Issue: 2}, 3: {Issue: 2}}},
		"a rule joins into who has its key":        {[]Cell{c(1, "a", "x", 9, "r"), c(2, "x", "x", 1, "r")}, []Target{{Issue: 2}, {Issue: 2}}, map[int64]Target{1: {Issue: 2}}},
		"two rules' keys want one issue":           {[]Cell{c(1, "a", "x", 4, "r"), c(1, "a", "y", 3, "r"), c(2, "b", "y", 1, "r")}, []Target{{Issue: 1}, {Issue: 2}, {Issue: 2}}, nil},
		"the algorithm renames":                    {[]Cell{c(1, "a", "x", 4), c(2, "b", "y", 3)}, []Target{{Issue: 1}, {Issue: 2}}, nil},
		"the algorithm joins":                      {[]Cell{c(1, "a", "x", 4), c(2, "b", "x", 7)}, []Target{{Issue: 2}, {Issue: 2}}, map[int64]Target{1: {Issue: 2}}},
		"the algorithm splits":                     {[]Cell{c(1, "a", "x", 4), c(1, "a", "y", 7)}, []Target{{New: 1}, {Issue: 1}}, nil},
		"merged by hand, the algorithm renames":    {[]Cell{c(1, "a", "x", 4), c(1, "b", "y", 7)}, []Target{{Issue: 1}, {Issue: 1}}, nil},
		"merged by hand, joined with another":      {[]Cell{c(1, "a", "a", 4), c(1, "b", "y", 7), c(2, "c", "y", 20)}, []Target{{Issue: 2}, {Issue: 2}, {Issue: 2}}, map[int64]Target{1: {Issue: 2}}},
		"merged by hand, a rule names a half":      {[]Cell{c(1, "a", "a", 4), c(1, "b", "y", 7, "r"), c(2, "c", "y", 2, "r")}, []Target{{Issue: 1}, {Issue: 2}, {Issue: 2}}, nil},
		"split by hand, nothing changes":           {[]Cell{c(1, "a", "a", 4), c(2, "a", "a", 7, "p")}, []Target{{Issue: 1}, {Issue: 2}}, nil},
		"split by hand, the algorithm renames":     {[]Cell{c(1, "a", "x", 4), c(2, "a", "x", 7, "p")}, []Target{{Issue: 1}, {Issue: 2}}, nil},
		"split by hand, a rule names all":          {[]Cell{c(1, "a", "x", 4, "r"), c(2, "a", "x", 7, "p", "r")}, []Target{{Issue: 2}, {Issue: 2}}, map[int64]Target{1: {Issue: 2}}},
		"a rule goes: each back to who is there":   {[]Cell{c(1, "x", "a", 4, "r"), c(1, "x", "b", 3, "r"), c(2, "b", "b", 1), c(1, "x", "d", 1, "r")}, []Target{{Issue: 1}, {Issue: 2}, {Issue: 2}, {New: 1}}, nil},
		"what has no body stays and keeps the key": {[]Cell{c(1, "a", "a", 100), c(1, "a", "x", 9, "r"), c(1, "a", "y", 8, "r")}, []Target{{Issue: 1}, {New: 1}, {New: 2}}, nil},
	} {
		plan := Decide(test.cells)
		if !reflect.DeepEqual(plan.Targets, test.want) {
			t.Errorf("%s: %v, want %v", name, plan.Targets, test.want)
		}
		if test.emptied == nil {
			test.emptied = map[int64]Target{}
		}
		if !reflect.DeepEqual(plan.Emptied, test.emptied) {
			t.Errorf("%s: emptied %v, want %v", name, plan.Emptied, test.emptied)
		}
	}
}

// Whatever comes in: a plan is the same whatever the order of the cells, no
// issue is both kept and emptied, and what is new is numbered without gaps.
func TestDecide_KeepsItsPromises(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		var cells []Cell
		for range 1 + rng.IntN(12) {
			marks := []string{"", "r", "p"}[rng.IntN(3)]
			cells = append(cells, c(int64(1+rng.IntN(4)), fmt.Sprint(rng.IntN(4)), fmt.Sprint(rng.IntN(6)), int64(1+rng.IntN(9)), marks))
		}
		plan := Decide(cells)
		order := rng.Perm(len(cells))
		shuffled := make([]Cell, len(cells))
		for i, j := range order {
			shuffled[i] = cells[j]
		}
		again := Decide(shuffled)
		seen := map[int]bool{}
		for i, j := range order {
			if again.Targets[i] != plan.Targets[j] {
				t.Fatalf("in another order %+v goes to %v, not %v: %+v", shuffled[i], again.Targets[i], plan.Targets[j], cells)
			}
		}
		for i, target := range plan.Targets {
			if (target.Issue == 0) == (target.New == 0) || target.New > plan.New {
				t.Fatalf("cell %+v goes to %+v", cells[i], target)
			}
			seen[target.New] = target.New != 0 || seen[target.New]
			if _, gone := plan.Emptied[target.Issue]; gone {
				t.Fatalf("%d is emptied and gets %+v", target.Issue, cells[i])
			}
			if !cells[i].Moves() && cells[i].Part && target.Issue == 0 {
				t.Fatalf("what was split off by hand goes to a new issue: %+v", cells)
			}
		}
		for n := 1; n <= plan.New; n++ {
			if !seen[n] {
				t.Fatalf("new issue %d gets nothing: %+v", n, cells)
			}
		}
	}
}
