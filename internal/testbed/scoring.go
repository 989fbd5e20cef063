package testbed

import (
	"firethorn/internal/core/impact"
	"firethorn/internal/core/issue"
	"firethorn/internal/store/issues"
)

// Current holds the stored impact of every issue against what it is made from now.
func (b *Bench) Current(what string) {
	b.T.Helper()
	for {
		more, err := b.Scoring.Rescore(b.T.Context(), b.Project.ID)
		if err != nil {
			b.T.Fatal(err)
		}
		if !more {
			break
		}
	}
	list, _, err := b.Issues.Issues(b.T.Context(),
		issues.IssueQuery{Project: b.Project.ID, States: issue.States, Order: issues.ByImpact, Limit: 100})
	if err != nil || len(list) == 0 {
		b.T.Fatal(len(list), err)
	}
	for _, is := range list {
		if is.Impact != is.Score.Tenths() {
			b.T.Errorf("%s: issue %d is stored with %d, its parts are %.1f: %+v", what, is.Number, is.Impact,
				is.Score.Points, is.Score.Parts)
		}
	}
	b.Recounted()
}

func (b *Bench) Part(number int64, name string) impact.Summand {
	b.T.Helper()
	for _, p := range b.Issue(number).Score.Parts {
		if p.Name == name {
			return p
		}
	}
	b.T.Fatalf("there is no part %s", name)
	return impact.Summand{}
}
