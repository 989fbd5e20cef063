package triage

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/event"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/release"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/status"
)

// Closing is a commit whose message says that it fixes issues.
type Closing struct {
	commits.Commit
	Bad []string // what names no issue
}

// CommitsCame lets a project know of commits that were added: fixes find their
// releases, and what messages say is fixed is. told is what was done, and what
// could not be, in words.
func (s *Service) CommitsCame(ctx context.Context, p *projects.Project, closing []Closing,
	who accounts.Actor) (told []string, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		told = nil
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE project SET commits_version=commits_version+1 WHERE id=?", p.ID); err != nil {
			return err
		}
		return s.status.FindReleases(ctx, tx, p.ID)
	})
	if err != nil {
		return nil, err
	}
	slices.Reverse(closing) // the oldest first
	for _, c := range closing {
		for _, b := range c.Bad {
			told = append(told, fmt.Sprintf("commit %s says it fixes %q, which names no issue: write PROJECT/NUMBER", release.Short(c.Hash), event.TrimText(b, 60)))
		}
		for _, name := range c.Fixes {
			text, err := s.closeByCommit(ctx, p, c.Commit, name, who)
			if err != nil {
				return told, err
			}
			told = append(told, text)
		}
	}
	return told, nil
}

// closeByCommit fixes the issue that a commit's message names. One of another
// project is not touched: a person who pushes to one repository may not decide about
// what others work on.
func (s *Service) closeByCommit(ctx context.Context, p *projects.Project, c commits.Commit, name string,
	who accounts.Actor) (string, error) {
	says := fmt.Sprintf("commit %s says it fixes %s", release.Short(c.Hash), name)
	project, number, _ := strings.Cut(name, "/")
	if project != p.Name {
		return says + ", which is an issue of another project: nothing was changed; fix it there with firethorn issue fix " + name + " --commit " + release.Short(c.Hash), nil
	}
	var n int64
	if _, err := fmt.Sscan(number, &n); err != nil {
		return says + ", which is no number", nil
	}
	is, err := s.issues.Issue(ctx, p, n)
	if f, ok := errors.AsType[*problem.Error](err); ok {
		return says + ": " + f.Pub, nil
	}
	if err != nil {
		return "", err
	}
	var done int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM history WHERE issue=? AND kind IN ('fix','picked') AND detail=?", is.ID, closedBy(c.Hash)).Scan(&done); err != nil || done > 0 {
		return says + ", as it was said before", err // sent again: what was decided since stays
	}
	g, err := s.releases.Graph(ctx, p.ID)
	if err != nil {
		return "", err
	}
	if is.State == issue.Fixed && is.Kind == issue.FixCommit && is.Commit != c.Hash && g.Same(is.Commit, c.Hash) {
		// A cherry-pick carries the message of its original.
		err := s.db.InTx(ctx, func(tx *sql.Tx) error {
			return s.status.Record(ctx, tx, p.ID, is.ID,
				status.HistoryLine{Who: who, Detail: json.RawMessage(closedBy(c.Hash)),
					Entry: issue.Entry{Kind: "picked",
						Text: "the fix was made again as commit " + release.Short(c.Hash)}})
		})
		return says + ", which was made again by it", err
	}
	d, err := s.decide(ctx, issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixCommit, Commit: c.Hash}},
		"the commit says so: "+c.Subject, who)
	if err != nil {
		return "", err
	}
	if d.By, err = s.personBehind(ctx, c.Email); err != nil {
		return "", err
	}
	d.detail = closedBy(c.Hash)
	err = s.db.InTx(ctx, func(tx *sql.Tx) error { return s.act(ctx, tx, is.ID, d, 0) })
	if f, ok := errors.AsType[*problem.Error](err); ok {
		return says + ": " + f.Pub, nil
	}
	return says + ": done", err
}

func closedBy(commit string) string { return `{"commit":"` + commit + `"}` }

// personBehind is the person who has an address, "" when nobody has.
func (s *Service) personBehind(ctx context.Context, email string) (name string, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT name FROM person WHERE email=?", strings.ToLower(email)).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return name, err
}
