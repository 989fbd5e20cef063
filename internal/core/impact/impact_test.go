package impact

import (
	"encoding/json"
	"errors"
	"math"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/problem"
)

// nine is when the tests look: nine in the morning, UTC.
var nine = time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)

func TestOf_PutsPeopleBeforeRepetitions(t *testing.T) {
	many := Of(Facts{Users: 500, Events: 500, Now: nine}, Default)
	loop := Of(Facts{Users: 1, Events: 10_000, Now: nine}, Default)
	if many.Points <= loop.Points {
		t.Errorf("500 users once each: %.1f; one user 10,000 times: %.1f", many.Points, loop.Points)
	}
	if many.Text != "500 users" || loop.Text != "10,000 events" {
		t.Errorf("words %q and %q", many.Text, loop.Text)
	}
}

func TestOf_ShowsItsArithmetic(t *testing.T) {
	odd := Weights{0.1, 3, 7, 999, 0, 13.7, 1, 2}
	for _, w := range []Weights{Default, odd} {
		for _, f := range []Facts{{}, {Users: 87, Events: 1204, Unhandled: true}, {Users: 210, Events: 635, Active: 900, Severity: "fatal"}, {Users: 3, Events: 7, Active: 5}, {Users: 29, Events: 43, Recent: 40}, {Users: 1e9, Events: 1e12, Recent: 1e12, Active: 1e9, Unhandled: true, Regressed: true, Newest: true, Severity: "fatal"}} {
			f.Now, f.FirstSeen = nine, nine.AddDate(0, 0, -9)
			s := Of(f, w)
			sum, most := 0.0, 0.0
			for _, p := range s.Parts {
				sum, most = sum+p.Points, most+p.Max
				if p.Points < 0 || p.Points > p.Max+0.001 || p.Text == "" && p.Name != "severity" {
					t.Errorf("Of(%+v): %s gives %.1f of %.1f: %q", f, p.Name, p.Points, p.Max, p.Text)
				}
			}
			if float64(s.Tenths())/10 != s.Points || math.Abs(most-100) > 0.5 {
				t.Errorf("Of(%+v) = %v, stored as %d; its parts can be %.1f", f, s.Points, s.Tenths(), most)
			}
			if math.Abs(sum-s.Points) > 0.35 || s.Points < 0 || s.Points > 100 {
				t.Errorf("Of(%+v) = %.1f, its parts are %.1f", f, s.Points, sum)
			}
		}
	}
	all := Of(Facts{Users: 1e9, Events: 1e12, Recent: 1e12, Active: 1e9, Unhandled: true, Regressed: true, Newest: true, Severity: "fatal", Now: nine, FirstSeen: nine.AddDate(0, 0, -30)}, Default)
	if all.Points != 100 {
		t.Errorf("the most is %.1f, want 100", all.Points)
	}
}

func TestOf_GrowsWithEachFact(t *testing.T) {
	base := Facts{Users: 10, Events: 100, Active: 1000, Severity: "warning", Now: nine, FirstSeen: nine.AddDate(0, 0, -10)}
	less := Of(base, Default).Points
	for name, change := range map[string]func(*Facts){
		"users": func(f *Facts) { f.Users++ }, "events": func(f *Facts) { f.Events *= 2 }, "unhandled": func(f *Facts) { f.Unhandled = true }, "regressed": func(f *Facts) { f.Regressed = true },
		"newest": func(f *Facts) { f.Newest, f.Release = true, "4.2.0" }, "severity": func(f *Facts) { f.Severity = "error" }, "fewer active": func(f *Facts) { f.Active = 100 }, "recent": func(f *Facts) { f.Recent = 60 },
	} {
		f := base
		change(&f)
		if got := Of(f, Default).Points; got <= less {
			t.Errorf("%s: %.1f, not more than %.1f", name, got, less)
		}
	}
}

func TestMomentum(t *testing.T) {
	for name, c := range map[string]struct {
		events, recent int64
		age            int
		points         float64
		text           string
		users          int64
	}{
		"steady":           {1400, 140, 30, 0, "about as often", 0},
		"four times":       {1360, 440, 30, 5.5, "4.2 times as often", 0}, // 320 a day after 77
		"from nothing":     {300, 300, 30, 8, "300 events since yesterday, none in the days before", 0},
		"few are a chance": {9, 9, 30, 0, "about as often", 0},
		"fading":           {1000, 10, 30, 0, "seldomer", 0},
		"silent":           {1000, 0, 30, 0, "not seen since", 0},
		"two days old":     {500, 500, 2, 0, "no past yet", 0},
		"three days old":   {600, 500, 3, 6.8, "times as often", 0},
		"one in a loop":    {10_000, 9_800, 5, 0, "by few users who repeat it", 1},
	} {
		p := Of(Facts{Users: c.users, Events: c.events, Recent: c.recent, Now: nine, FirstSeen: nine.AddDate(0, 0, -c.age)}, Default).Parts[momentumPart]
		if math.Abs(p.Points-c.points) > 0.2 || !strings.Contains(p.Text, c.text) {
			t.Errorf("%s: %.1f, %q; want %.1f, %q", name, p.Points, p.Text, c.points, c.text)
		}
	}
}

func TestWeights(t *testing.T) {
	for name, change := range map[string]map[string]float64{"no part": {"people": 3}, "no number": {"users": math.NaN()}, "endless": {"users": math.Inf(1)}, "negative": {"share": -1}, "too large": {"share": 1001}} {
		if _, err := Default.With(change); err == nil {
			t.Errorf("%s is taken", name)
		} else if f, ok := errors.AsType[*problem.Error](err); !ok || f.Code != problem.BadInput {
			t.Errorf("%s: %v", name, err)
		}
	}
	var nothing Weights
	if _, err := nothing.With(nil); err == nil {
		t.Error("weights that are all nothing are taken")
	}
	w, err := Default.With(map[string]float64{"users": 80})
	if err != nil || w.Map()["users"] != 80 || w.Map()["share"] != Default.Map()["share"] {
		t.Fatal(w, err)
	}
	raw, err := json.Marshal(w)
	var back Weights
	if err != nil || json.Unmarshal(raw, &back) != nil || back != w {
		t.Errorf("%s reads back as %v, %v", raw, back, err)
	}
	if json.Unmarshal([]byte(`{"users":"many"}`), &back) == nil || json.Unmarshal([]byte(`{"luck":1}`), &back) == nil {
		t.Error("what are no weights is read")
	}
}

// Where no active user is known, events are held against sessions.
func TestOf_HoldsEventsAgainstSessionsWithoutUsers(t *testing.T) {
	part := func(f Facts) Summand {
		f.Now, f.FirstSeen = nine, nine.AddDate(0, 0, -9)
		return Of(f, Default).Parts[sharePart]
	}
	few, many := part(Facts{Events: 10, Sessions: 10_000}), part(Facts{Events: 2500, Sessions: 10_000})
	if few.Text != "1.0 events for 1,000 of 10,000 sessions" || many.Points != many.Max/2 || few.Points >= many.Points {
		t.Errorf("10 events: %+v; 2,500 events: %+v", few, many)
	}
	if p := part(Facts{Events: 2500, Users: 1, Active: 100, Sessions: 10_000}); p.Text != "1.0 % of 100 active users" {
		t.Errorf("with users: %+v", p)
	}
}
