package chance

import (
	"math"
	"testing"
)

func TestAtLeast(t *testing.T) {
	for _, c := range []struct {
		n    int64
		mean float64
		want float64
	}{
		{0, 3, 1}, {-2, 3, 1}, {1, 0, 0}, {5, -1, 0},
		{1, 0.5, 1 - math.Exp(-0.5)},
		{2, 1, 1 - 2*math.Exp(-1)},
		// Summed with 60 digits.
		{10, 3, 0.0011024881301154798},
		{30, 2, 5.855318609378577e-25},
		{1000, 1000, 0.5042052441802155},
	} {
		if got := AtLeast(c.n, c.mean); math.Abs(got-c.want) > 1e-9*c.want {
			t.Errorf("AtLeast(%d, %g) = %g, want %g", c.n, c.mean, got, c.want)
		}
	}
}

func TestAtLeast_NeverGrows(t *testing.T) {
	last := 2.0
	for n := range int64(300) {
		p := AtLeast(n, 80)
		if p > last || p < 0 || math.IsNaN(p) {
			t.Fatalf("AtLeast(%d, 80) = %v after %v", n, p, last)
		}
		last = p
	}
	if p := AtLeast(2_000_000, 1_000_000); p != 0 {
		t.Errorf("twice a million where one is expected: %v", p)
	}
}
