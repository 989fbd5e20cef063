package facet_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"firethorn/internal/core/facet"
)

// The lady tasting tea: four of four right has probability 1/70, three or more 17/70.
func TestFisher(t *testing.T) {
	for _, x := range []struct {
		here, hereOf, elsewhere, elseOf int64
		want                            float64
	}{{4, 4, 0, 4, 1.0 / 70}, {3, 4, 1, 4, 17.0 / 70}, {0, 4, 4, 4, 1}, {1, 1, 1, 1, 1}, {5, 10, 0, 10, 252.0 / 15504}} {
		if got := facet.Fisher(x.here, x.hereOf, x.elsewhere, x.elseOf); math.Abs(got-x.want) > 1e-9 {
			t.Errorf("Fisher(%d of %d, %d of %d) = %g, want %g", x.here, x.hereOf, x.elsewhere, x.elseOf, got, x.want)
		}
	}
	if p := facet.Fisher(412, 640, 111_000, 1_000_000); p > 1e-200 {
		t.Errorf("412 of 640 against one of nine: %g", p)
	}
}

func TestInformation(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	var tells, nothing, unique []facet.Pair
	for i := range 4000 {
		issue := random.IntN(8)
		tells = append(tells, facet.Pair{Value: issue / 2, Issue: issue})
		nothing = append(nothing, facet.Pair{Value: random.IntN(4), Issue: issue})
		unique = append(unique, facet.Pair{Value: i, Issue: issue})
	}
	if got := facet.Information(tells); math.Abs(got-2) > 0.02 {
		t.Errorf("a value that halves the issues twice tells %.3f bits, want 2", got)
	}
	if got := facet.Information(nothing); math.Abs(got) > 0.01 {
		t.Errorf("a random value tells %.3f bits, want none", got)
	}
	if got := facet.Information(unique); got > 0.01 {
		t.Errorf("a value that each event has alone tells %.3f bits, want none", got)
	}
	if got := facet.Diversity(unique); got != 0 {
		t.Errorf("values of which no two are alike differ by %.3f bits; nothing is gained by looking at them", got)
	}
}

func TestOutstanding(t *testing.T) {
	list := []facet.Odd{
		{Name: "browser.name", Value: "Firefox", Here: 412, HereOf: 640, Elsewhere: 1110, ElseOf: 10_000},
		{Name: "os.name", Value: "Android", Here: 300, HereOf: 640, Elsewhere: 4700, ElseOf: 10_000},
		{Name: "berth.zone", Value: "C", Here: 5, HereOf: 640, Elsewhere: 0, ElseOf: 10_000},
		{Name: "user.id", Value: "p-1", Here: 1, HereOf: 640, Elsewhere: 0, ElseOf: 10_000},
	}
	got := facet.Outstanding(list, 4)
	if len(got) != 2 || got[0].Value != "Firefox" || got[1].Value != "C" {
		t.Fatalf("outstanding are %+v; want Firefox, then zone C", got)
	}
	if r := got[0].Ratio; math.Abs(r-5.8) > 0.01 {
		t.Errorf("Firefox is %.2f times as common here, want 5.80", r)
	}
	if got := facet.Outstanding(list[2:3], 10_000_000); len(got) != 0 {
		t.Errorf("five events among ten million values that were looked at: %+v", got)
	}
}
