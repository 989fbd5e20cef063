package issues

import (
	"context"
	"database/sql"

	"firethorn/internal/db"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
)

const maxInIt = 100 // issues that are listed of one

// InRelease are the issues of a release.
type InRelease struct {
	New       []*Issue // first seen in it, what hurts most first
	Regressed []*Issue // that regressed in it
	Fixed     []*Issue // that somebody called fixed in it
}

// IssuesIn lists the issues that are new in a release, regressed in it, or were
// fixed in it.
func (s *Store) IssuesIn(ctx context.Context, p *projects.Project, r *releases.ReleaseRow) (in InRelease, err error) {
	for _, q := range []struct {
		into  *[]*Issue
		where string
		args  []any
	}{
		{&in.New, "l.first_release=?", []any{r.ID}},
		{&in.Regressed, "l.issue IN (SELECT h.issue FROM history h WHERE h.app_release=? AND h.kind='regressed' AND h.undone=0)", []any{r.ID}},
		{&in.Fixed, "l.issue IN (SELECT i.id FROM issue i WHERE i.project=? AND i.fixed_in=? AND i.state IN ('fixed','regressed') AND i.deleted IS NULL)", []any{p.ID, r.Version}},
	} {
		err := db.Each(ctx, s.db, func(rows *sql.Rows) error {
			is, err := scanIssue(rows)
			*q.into = append(*q.into, is)
			return err
		}, issuesWhere(q.where)+" ORDER BY l.impact DESC, l.issue LIMIT ?", append(q.args, maxInIt)...)
		if err != nil {
			return in, err
		}
	}
	return in, nil
}
