package issue

import (
	"errors"
	"flag"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/release"
)

var update = flag.Bool("update", false, "write the files that tests compare with")

// monday is when the stories of these tests begin.
var monday = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

// compare holds a text against a file of testdata.
func compare(t *testing.T, file, got string) {
	t.Helper()
	if *update {
		if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if got == string(want) {
		return
	}
	a, b := strings.Split(got, "\n"), strings.Split(string(want), "\n")
	for i := range max(len(a), len(b)) {
		var x, y string
		if i < len(a) {
			x = a[i]
		}
		if i < len(b) {
			y = b[i]
		}
		if x != y {
			t.Fatalf("%s, line %d:\ngot  %s\nwant %s", file, i+1, x, y)
		}
	}
}

// statuses are one of each state.
func statuses() []Status {
	fix := Fix{Kind: FixRelease, FixedIn: "4.2.0", FixedAt: monday, FixedBy: "Oke Farrow"}
	return []Status{
		{State: New}, {State: Accepted, Owner: "Maren Holt", Severity: "fatal"}, {State: Fixed, Fix: fix}, {State: Regressed, Fix: fix},
		{State: Parked, Parked: Park{Events: 10, NextRelease: true, After: "4.1.0", At: monday, By: "Sunniva Bray"}},
		{State: Dismissed}, {State: Dismissed, CountOnly: true},
	}
}

func known(list ...release.Release) ReleaseFacts {
	return ReleaseFacts{Release: func(v string) release.Release {
		for _, r := range list {
			if r.Version == v {
				return r
			}
		}
		return release.Release{Version: v}
	}}
}

// What every action and every event does to an issue in every state.
func TestStates(t *testing.T) {
	later := monday.Add(time.Hour)
	actions := []struct {
		name string
		Action
	}{
		{"accept", Action{Verb: Accept}},
		{"assign to Maren Holt", Action{Verb: Assign, To: "Maren Holt"}},
		{"assign to nobody", Action{Verb: Assign}},
		{"fix in 4.2.0", Action{Verb: Fixing, Fix: Fix{Kind: FixRelease, FixedIn: "4.2.0"}}},
		{"fix in the next release", Action{Verb: Fixing, Fix: Fix{Kind: FixNext, After: "4.2.1"}}},
		{"fix by a commit", Action{Verb: Fixing, Fix: Fix{Kind: FixCommit, Commit: "8ac1f00d5eed8ac1f00d5eed8ac1f00d5eed8ac1"}}},
		{"fix as of now", Action{Verb: Fixing, Fix: Fix{Kind: FixNow}}},
		{"fix in nothing", Action{Verb: Fixing, Fix: Fix{Kind: FixRelease}}},
		{"park until 3 more users", Action{Verb: Parking, Park: Park{Users: 3}}},
		{"park until yesterday", Action{Verb: Parking, Park: Park{Until: monday.AddDate(0, 0, -1)}}},
		{"park without a condition", Action{Verb: Parking}},
		{"reopen", Action{Verb: Reopen}},
		{"dismiss", Action{Verb: Dismiss}},
		{"count-only", Action{Verb: CountOnly}},
		{"call it fatal", Action{Verb: Grade, Grade: "fatal"}},
		{"call it bad", Action{Verb: Grade, Grade: "bad"}},
		{"undo a dismissal of a new one", Action{Verb: Undo, Before: &Status{State: New}, Undone: "dismiss"}},
		{"undo nothing", Action{Verb: Undo}},
		{"praise", Action{Verb: "praise"}},
	}
	k := known()
	at := func(v string) release.Release { return release.Release{Version: v, FirstSeen: monday} }
	var b strings.Builder
	for _, s := range statuses() {
		fmt.Fprintf(&b, "%s\n", Describe(s))
		for _, a := range actions {
			a.By, a.At = "Oke Farrow", later
			next, e, err := Apply(s, a.Action)
			if err != nil {
				f, ok := errors.AsType[*problem.Error](err)
				if !ok || next != s {
					t.Fatalf("%s of %s: %+v, %v", a.name, s.State, next, err)
				}
				fmt.Fprintf(&b, "  %-30s refused (%s): %s\n", a.name, f.Code, f.Pub)
				continue
			}
			if next.State != s.State && a.Verb != Undo && (e.Before == nil || *e.Before != s) {
				t.Errorf("%s of %s remembers %+v, want %+v", a.name, s.State, e.Before, s)
			}
			fmt.Fprintf(&b, "  %-30s → %s%s\n", a.name, Describe(next), notified(e.Notify))
		}
		for _, o := range []struct {
			name string
			Occurrence
		}{
			{"event of 4.1.0", Occurrence{Release: at("4.1.0"), Thrown: later}},
			{"event of 4.2.1", Occurrence{Release: at("4.2.1"), Thrown: later}},
			{"event without a release", Occurrence{Thrown: later}},
		} {
			next, e, changed := k.Seen(s, o.Occurrence)
			if e == nil {
				next, e = k.Wake(s, later, Since{Events: 1}, &o.Occurrence)
				changed = e != nil
			}
			if changed != (next != s) || changed && (e.Before == nil || *e.Before != s) {
				t.Errorf("%s, %s: changed is %v, the entry %+v", s.State, o.name, changed, e)
			}
			if e == nil {
				fmt.Fprintf(&b, "  %-30s is counted\n", o.name)
				continue
			}
			fmt.Fprintf(&b, "  %-30s → %s: %s%s\n", o.name, Describe(next), e.Text, notified(e.Notify))
		}
		for _, since := range []Since{{Events: 9}, {Events: 10}} {
			name := fmt.Sprintf("%d more events", since.Events)
			if next, e := k.Wake(s, later, since, nil); e != nil {
				fmt.Fprintf(&b, "  %-30s → %s: %s%s\n", name, Describe(next), e.Text, notified(e.Notify))
			} else {
				fmt.Fprintf(&b, "  %-30s change nothing\n", name)
			}
		}
		if next, e := Out(s, at("4.2.1")); e != nil || next != s {
			t.Errorf("the release of a fix that names its own changes %s: %+v", s.State, e)
		}
	}
	compare(t, "testdata/states.txt", b.String())
}

func notified(names []string) string {
	if len(names) == 0 {
		return ""
	}
	return "; tells " + strings.Join(names, ", ")
}

func TestPark_Wakes(t *testing.T) {
	k := known(release.Release{Version: "4.1.0", FirstSeen: monday}, release.Release{Version: "4.2.0", FirstSeen: monday.Add(time.Hour)})
	o := func(version, environment string, fresh bool) *Occurrence {
		return &Occurrence{Release: k.Release(version), Environment: environment, NewPlace: fresh, Thrown: monday.Add(2 * time.Hour)}
	}
	for name, c := range map[string]struct {
		park  Park
		after time.Duration
		since Since
		o     *Occurrence
		want  string
	}{
		"a time, not yet":           {Park{Until: monday.AddDate(0, 0, 1)}, 23 * time.Hour, Since{Events: 900}, o("4.2.0", "production", true), ""},
		"a time":                    {Park{Until: monday.AddDate(0, 0, 1)}, 24 * time.Hour, Since{}, nil, "woken: 2026-11-24 09:00 UTC has come"},
		"events, one too few":       {Park{Events: 100}, time.Hour, Since{Events: 99, Users: 99}, o("4.2.0", "production", true), ""},
		"events":                    {Park{Events: 100}, time.Hour, Since{Events: 104}, o("4.2.0", "production", false), "woken: 104 more events came since it was parked"},
		"one user":                  {Park{Users: 1}, time.Hour, Since{Events: 4, Users: 1}, o("4.2.0", "production", false), "woken: 1 more user was hit since it was parked"},
		"a rate that did not":       {Park{Doubled: true, Rate: 20}, time.Hour, Since{Events: 90, Day: 39}, nil, ""},
		"a rate that doubled":       {Park{Doubled: true, Rate: 20}, time.Hour, Since{Events: 90, Day: 40}, nil, "woken: 40 events in 24 hours; a day brought 20.0 when it was parked"},
		"a rate of next to nothing": {Park{Doubled: true, Rate: 0.3}, time.Hour, Since{Day: 9}, nil, ""},
		"the next release":          {Park{NextRelease: true, After: "4.1.0"}, time.Hour, Since{Events: 1}, o("4.2.0", "production", false), "woken: seen in 4.2.0, a release after 4.1.0 (by semantic version)"},
		"the same release":          {Park{NextRelease: true, After: "4.1.0"}, time.Hour, Since{Events: 1}, o("4.1.0", "production", false), ""},
		"the first release":         {Park{NextRelease: true, At: monday}, time.Hour, Since{Events: 1}, o("4.2.0", "production", false), "woken: seen in 4.2.0, the first release since then"},
		"no release":                {Park{NextRelease: true, At: monday}, time.Hour, Since{Events: 1}, o("", "production", false), ""},
		"another environment":       {Park{NewEnvironment: true}, time.Hour, Since{Events: 1}, o("4.1.0", "staging", true), "woken: seen in staging, where it was not seen before"},
		"the same environment":      {Park{NewEnvironment: true}, time.Hour, Since{Events: 1}, o("4.1.0", "staging", false), ""},
		"whichever comes first":     {Park{Users: 5, NewEnvironment: true, NextRelease: true, After: "4.1.0"}, time.Hour, Since{Users: 4}, o("4.2.0", "production", false), "woken: seen in 4.2.0, a release after 4.1.0 (by semantic version)"},
	} {
		t.Run(name, func(t *testing.T) {
			s := Status{State: Parked, Owner: "Maren Holt", Parked: c.park}
			next, e := k.Wake(s, monday.Add(c.after), c.since, c.o)
			text := ""
			if e != nil {
				text = e.Text
			}
			if text != c.want {
				t.Errorf("it says %q, want %q", text, c.want)
			}
			if want := (Status{State: New, Owner: "Maren Holt"}); (next == want) != (c.want != "") {
				t.Errorf("it stands at %+v", next)
			}
		})
	}
}

// A fix gets its release once, and only one that waits for it.
func TestOut(t *testing.T) {
	in := release.Release{Version: "4.2.1"}
	for _, f := range []Fix{{Kind: FixNext, After: "4.2.0"}, {Kind: FixCommit, Commit: "8ac1f00d5eed"}} {
		f.FixedBy = "Oke Farrow"
		s, e := Out(Status{State: Fixed, Fix: f}, in)
		if e == nil || s.FixedIn != "4.2.1" || e.Notify[0] != "Oke Farrow" || !strings.HasPrefix(e.Text, "the fix is out in 4.2.1") {
			t.Errorf("%s: %+v, %+v", f.Kind, s, e)
		}
		if again, e := Out(s, release.Release{Version: "4.3.0"}); e != nil || again != s {
			t.Errorf("%s comes out twice: %+v", f.Kind, e)
		}
	}
	if _, e := Out(Status{State: Regressed, Fix: Fix{Kind: FixNext}}, in); e != nil {
		t.Errorf("what came back comes out: %+v", e)
	}
}
