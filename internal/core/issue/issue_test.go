package issue

import (
	"testing"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/release"
)

func TestApply(t *testing.T) {
	for name, c := range map[string]struct {
		from   Standing
		action Action
		want   Standing
		words  string
	}{
		"accept a new one":            {Standing{State: New}, Action{Verb: Accept}, Standing{State: Accepted}, "accepted"},
		"accept a regressed one":      {Standing{State: Regressed, FixedIn: "4.2.0"}, Action{Verb: Accept}, Standing{State: Accepted}, "accepted"},
		"assigning also accepts":      {Standing{State: New}, Action{Verb: Assign, To: "Oke Farrow"}, Standing{State: Accepted, Owner: "Oke Farrow"}, "assigned to Oke Farrow, and so accepted"},
		"assign what is fixed":        {Standing{State: Fixed, FixedIn: "1"}, Action{Verb: Assign, To: "Oke Farrow"}, Standing{State: Fixed, FixedIn: "1", Owner: "Oke Farrow"}, "assigned to Oke Farrow"},
		"take away":                   {Standing{State: Accepted, Owner: "Oke Farrow"}, Action{Verb: Assign}, Standing{State: Accepted}, "taken from Oke Farrow"},
		"fix":                         {Standing{State: Accepted, Owner: "Oke Farrow"}, Action{Verb: Fix, Release: "4.2.0"}, Standing{State: Fixed, FixedIn: "4.2.0", Owner: "Oke Farrow"}, "fixed in 4.2.0"},
		"reopening leads to accepted": {Standing{State: Dismissed}, Action{Verb: Reopen}, Standing{State: Accepted}, "reopened"},
		"dismiss":                     {Standing{State: Accepted, Owner: "Oke Farrow"}, Action{Verb: Dismiss}, Standing{State: Dismissed, Owner: "Oke Farrow"}, "dismissed"},
		"undo restores exactly":       {Standing{State: Dismissed}, Action{Verb: Undo, Before: &Standing{State: Fixed, FixedIn: "4.1.0", Owner: "Oke Farrow"}}, Standing{State: Fixed, FixedIn: "4.1.0", Owner: "Oke Farrow"}, "undone: back to fixed in 4.1.0, with Oke Farrow"},
	} {
		t.Run(name, func(t *testing.T) {
			got, entry, err := Apply(c.from, c.action)
			if err != nil || got != c.want || entry.Words != c.words {
				t.Errorf("Apply = %+v, %q, %v, want %+v, %q", got, entry.Words, err, c.want, c.words)
			}
			if c.action.Verb != Undo && *entry.Before != c.from {
				t.Errorf("the entry remembers %+v, want %+v", *entry.Before, c.from)
			}
		})
	}
}

func TestApply_Refuses(t *testing.T) {
	for name, c := range map[string]struct {
		from   State
		action Action
		code   fault.Code
	}{
		"accept twice":          {Accepted, Action{Verb: Accept}, fault.Conflict},
		"reopen what is open":   {Regressed, Action{Verb: Reopen}, fault.Conflict},
		"dismiss twice":         {Dismissed, Action{Verb: Dismiss}, fault.Conflict},
		"fix without a release": {New, Action{Verb: Fix}, fault.BadInput},
		"undo nothing":          {New, Action{Verb: Undo}, fault.Conflict},
		"an unknown verb":       {New, Action{Verb: "praise"}, fault.BadInput},
	} {
		t.Run(name, func(t *testing.T) {
			got, _, err := Apply(Standing{State: c.from}, c.action)
			f, ok := err.(*fault.Error)
			if !ok || f.Code != c.code || got.State != c.from {
				t.Errorf("Apply = %+v, %v, want code %s and nothing changed", got, err, c.code)
			}
		})
	}
}

func TestSeen_RegressesOnlyInOrAfterTheFix(t *testing.T) {
	monday := time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)
	rel := func(v string, days int) release.Release {
		return release.Release{Version: v, FirstSeen: monday.AddDate(0, 0, days)}
	}
	for name, c := range map[string]struct {
		state   State
		in      release.Release
		policy  release.Policy
		want    State
		kind    string
		changed bool
	}{
		"older":                        {Fixed, rel("4.1.9", 3), release.Auto, Fixed, "seen_in_older_release", false},
		"the release of the fix":       {Fixed, rel("4.2.0", 0), release.Auto, Regressed, "regressed", true},
		"newer":                        {Fixed, rel("4.2.1", -5), release.Auto, Regressed, "regressed", true},
		"a pre-release of the fix":     {Fixed, rel("4.2.0-rc.1", 0), release.Auto, Fixed, "seen_in_older_release", false},
		"no version, seen later":       {Fixed, rel("nightly-b", 1), release.Auto, Regressed, "regressed", true},
		"no version, seen before":      {Fixed, rel("nightly-a", -1), release.Auto, Fixed, "seen_in_older_release", false},
		"newer, but announced before":  {Fixed, rel("4.2.1", -5), release.Announcement, Fixed, "seen_in_older_release", false},
		"no version, by version alone": {Fixed, rel("nightly-b", 1), release.Versions, Fixed, "seen_in_unordered_release", false},
		"no release at all":            {Fixed, release.Release{}, release.Auto, Fixed, "seen_without_release", false},
		"open issues do not regress":   {Accepted, rel("4.2.1", 0), release.Auto, Accepted, "", false},
	} {
		t.Run(name, func(t *testing.T) {
			got, entry, changed := Seen(Standing{State: c.state, FixedIn: "4.2.0"}, c.in, rel("4.2.0", 0), c.policy)
			kind := ""
			if entry != nil {
				kind = entry.Kind
			}
			if got.State != c.want || kind != c.kind || changed != c.changed {
				t.Errorf("Seen = %s, %q, %v, want %s, %q, %v", got.State, kind, changed, c.want, c.kind, c.changed)
			}
			if same := c.in.Version == "4.2.0"; entry != nil && same != (entry.Words == "came back in 4.2.0, the release it was fixed in") {
				t.Errorf("it says %q", entry.Words)
			}
		})
	}
}
