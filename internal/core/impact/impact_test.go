package impact

import (
	"math"
	"testing"
)

func TestOf_PutsPeopleBeforeRepetitions(t *testing.T) {
	many := Of(Facts{Users: 500, Events: 500})
	loop := Of(Facts{Users: 1, Events: 10_000})
	if many.Points <= loop.Points {
		t.Errorf("500 users once each: %.1f; one user 10,000 times: %.1f", many.Points, loop.Points)
	}
	if many.Words != "500 users" || loop.Words != "10,000 events" {
		t.Errorf("words %q and %q", many.Words, loop.Words)
	}
}

func TestOf_ShowsItsArithmetic(t *testing.T) {
	for _, f := range []Facts{{}, {Users: 87, Events: 1204, Unhandled: true}, {Users: 210, Events: 635, Unhandled: true}, {Users: 3, Events: 7}, {Users: 29, Events: 43}, {Users: 1e9, Events: 1e12, Unhandled: true, Regressed: true}} {
		s := Of(f)
		sum := 0.0
		for _, p := range s.Parts {
			sum += p.Points
			if p.Points < 0 || p.Points > p.Most {
				t.Errorf("Of(%+v): %s gives %.1f of %.0f", f, p.Name, p.Points, p.Most)
			}
		}
		if float64(s.Tenths())/10 != s.Points {
			t.Errorf("Of(%+v) = %v, stored as %d", f, s.Points, s.Tenths())
		}
		if math.Abs(sum-s.Points) > 0.05 || s.Points < 0 || s.Points > 100 {
			t.Errorf("Of(%+v) = %.1f, its parts are %.1f", f, s.Points, sum)
		}
	}
	if all := Of(Facts{Users: 1e9, Events: 1e12, Unhandled: true, Regressed: true}); all.Points != 100 {
		t.Errorf("the most is %.1f, want 100", all.Points)
	}
}

func TestOf_GrowsWithEachFact(t *testing.T) {
	base := Facts{Users: 10, Events: 100}
	for name, more := range map[string]Facts{"users": {Users: 11, Events: 100}, "events": {Users: 10, Events: 200}, "unhandled": {Users: 10, Events: 100, Unhandled: true}, "regressed": {Users: 10, Events: 100, Regressed: true}} {
		if Of(more).Points <= Of(base).Points {
			t.Errorf("more %s do not weigh more", name)
		}
	}
}
