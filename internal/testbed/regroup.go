package testbed

import (
	"fmt"
	"reflect"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/usecase/regrouping"
)

var Oke = accounts.Actor{Kind: "person", ID: 102, Name: "Oke Farrow"}

// Rule makes a text the project's rules, and lets them act.
func (b *Bench) Rule(text string) {
	b.T.Helper()
	if _, err := b.Projects.PushRules(b.T.Context(), b.Project.ID, text, "", -1, Maren); err != nil {
		b.T.Fatal(err)
	}
	b.Now = b.Now.Add(10 * time.Second)
	b.Again()
}

// Again reads the project again, as every process does after some seconds.
func (b *Bench) Again() {
	b.T.Helper()
	var err error
	if b.Project, err = b.Projects.ProjectByID(b.T.Context(), b.Project.ID); err != nil {
		b.T.Fatal(err)
	}
}

// Regrouped lets a regrouping under way come to its end.
func (b *Bench) Regrouped() *regrouping.Regrouping {
	b.T.Helper()
	for more := true; more; {
		b.Followed()
		b.Again()
		if next := b.Project.NextGrouping(); next != 0 {
			if _, err := b.Regrouping.AdoptGrouping(b.T.Context(), b.Project.ID, next, b.Printed); err != nil {
				b.T.Fatal(err)
			}
			b.Again()
		}
		b.Now = b.Now.Add(10 * time.Second)
		var err error
		if more, err = b.Regrouping.RegroupStep(b.T.Context(), b.Project, b.Units); err != nil {
			b.T.Fatal(err)
		}
	}
	g, err := b.Regrouping.Regrouping(b.T.Context(), b.Project, 0)
	if err != nil {
		b.T.Fatal(err)
	}
	return g
}

func (b *Bench) Regroup() *regrouping.Regrouping {
	b.T.Helper()
	if _, err := b.Regrouping.Regroup(b.T.Context(), b.Project, Maren); err != nil {
		b.T.Fatal(err)
	}
	return b.Regrouped()
}

func (b *Bench) Unregroup() *regrouping.Regrouping {
	b.T.Helper()
	b.Again()
	if _, err := b.Regrouping.UndoRegroup(b.T.Context(), b.Project, Oke); err != nil {
		b.T.Fatal(err)
	}
	return b.Regrouped()
}

// Statuses is what the list says of every issue, by number: headline, events, users, bodies.
func (b *Bench) Statuses() map[int64]string {
	b.T.Helper()
	out := map[int64]string{}
	list, _, err := b.Issues.Issues(b.T.Context(),
		issues.IssueQuery{Project: b.Project.ID, Limit: 200, Order: "newest",
			States: []issue.State{issue.New, issue.Accepted, issue.Fixed, issue.Regressed, issue.Dismissed}})
	if err != nil {
		b.T.Fatal(err)
	}
	for _, is := range list {
		out[is.Number] = fmt.Sprintf("%s: %d events, %d users, %d bodies, %s", is.Headline, is.Events, is.Users,
			is.Bodies, is.State)
	}
	return out
}

func (b *Bench) WantStatuses(when string, want map[int64]string) {
	b.T.Helper()
	if got := b.Statuses(); !reflect.DeepEqual(got, want) {
		b.T.Errorf("%s:\n got %v\nwant %v", when, got, want)
	}
	b.Recounted()
}

// Step goes on with a regrouping by a step.
func (b *Bench) Step() regrouping.RegroupState {
	b.T.Helper()
	b.Followed()
	b.Again()
	b.Now = b.Now.Add(10 * time.Second)
	if _, err := b.Regrouping.RegroupStep(b.T.Context(), b.Project, b.Units); err != nil {
		b.T.Fatal(err)
	}
	g, err := b.Regrouping.Regrouping(b.T.Context(), b.Project, 0)
	if err != nil {
		b.T.Fatal(err)
	}
	return g.State
}
