package testbed

import (
	"strings"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/commits"
	"firethorn/internal/core/issue"
	"firethorn/internal/store/accounts"
	"firethorn/internal/usecase/triage"
)

func (b *Bench) Act(number int64, a issue.Action) {
	b.T.Helper()
	if err := b.Triage.Act(b.T.Context(), b.Issue(number).ID, a, "", Maren, 0); err != nil {
		b.T.Fatal(err)
	}
}

func (b *Bench) State(number int64, want issue.State) {
	b.T.Helper()
	if st := b.Issue(number).State; st != want {
		b.T.Errorf("issue %d is %s, want %s", number, st, want)
	}
}

// People adds people who get notices: members of all projects.
func (b *Bench) People() (marenID, okeID int64) {
	b.T.Helper()
	var ids [2]int64
	for i, a := range []accounts.Actor{Maren, Oke} {
		p, err := b.Accounts.AddPerson(b.T.Context(), a.Name,
			strings.ToLower(strings.Fields(a.Name)[0])+"@marrowsound.example", false)
		if err == nil {
			err = b.Accounts.SetRole(b.T.Context(), p,
				accounts.NewRole{Project: accounts.Everywhere, Role: access.Member})
		}
		if err != nil {
			b.T.Fatal(err)
		}
		ids[i] = p.ID
	}
	return ids[0], ids[1]
}

// Hash makes a commit's hash of a letter.
func Hash(letter string) string { return strings.Repeat(letter, 40) }

// Push adds a line of commits, the oldest first, the first on top of another.
func (b *Bench) Push(on string, messages map[string]string, letters ...string) []string {
	b.T.Helper()
	var list []commits.Commit
	var closing []triage.Closing
	for i, l := range letters {
		c := commits.Commit{Hash: Hash(l), Author: "Oke Farrow", Email: "oke@marrowsound.example",
			Committed: Noon.Add(time.Duration(i) * time.Minute), Authored: Noon, Subject: "change " + l, Files: 1,
			Patch: Hash(l)}
		if on != "" {
			c.Parents = []string{Hash(on)}
		}
		on = l
		list = append(list, c)
		if m := messages[l]; m != "" {
			fixes, bad := commits.Trailers("change\n\n"+m, b.Project.Name)
			c.Fixes = fixes
			closing = append(closing, triage.Closing{Commit: c, Bad: bad})
		}
	}
	if err := b.Releases.AddCommits(b.T.Context(), b.Project.ID, list); err != nil {
		b.T.Fatal(err)
	}
	told, err := b.Triage.CommitsCame(b.T.Context(), b.Project, closing, accounts.Actor{Kind: "token", Name: "build"})
	if err != nil {
		b.T.Fatal(err)
	}
	return told
}

func (b *Bench) Announce(version, commit string) {
	b.T.Helper()
	b.Now = b.Now.Add(time.Hour)
	if _, err := b.Status.Announce(b.T.Context(), b.Project, version, commit, Maren); err != nil {
		b.T.Fatal(err)
	}
}
