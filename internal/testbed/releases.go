package testbed

import (
	"errors"
	"strings"
	"time"

	"firethorn/internal/core/problem"
)

func (b *Bench) Versions() string {
	b.T.Helper()
	list, err := b.Releases.Releases(b.T.Context(), b.Project)
	if err != nil {
		b.T.Fatal(err)
	}
	var out []string
	for _, r := range list {
		out = append(out, r.Version)
	}
	return strings.Join(out, " ")
}

func (b *Bench) Fix(number int64, in string) {
	b.T.Helper()
	if err := b.Triage.Act(b.T.Context(), b.Issue(number).ID, FixedIn(in), "", Maren, 0); err != nil {
		b.T.Fatal(err)
	}
}

// In files one event of a function in a release, an hour after the last.
func (b *Bench) In(function, release string) {
	b.T.Helper()
	b.Now = b.Now.Add(time.Hour)
	b.File(Event{Function: function, Release: release, User: "p-1", At: b.Now})
}

func Code(err error) problem.Code {
	if f, ok := errors.AsType[*problem.Error](err); ok {
		return f.Code
	}
	return ""
}

// InHistory looks for an entry of an issue's history.
func (b *Bench) InHistory(number int64, text string) bool {
	b.T.Helper()
	var n int
	if err := b.DB.QueryRowContext(b.T.Context(), "SELECT COUNT(*) FROM history WHERE issue=? AND text=?",
		b.Issue(number).ID, text).Scan(&n); err != nil {
		b.T.Fatal(err)
	}
	return n > 0
}
