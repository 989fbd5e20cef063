package triage

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"firethorn/internal/core/release"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
)

// Appearance is in which release an issue appeared, and the last one without it.
type Appearance struct {
	Release, Before string
	From, To        string    // commits of Before and Release, "" where they are not known
	Out             time.Time // when the release is known
	Began           time.Time // when the issue was first seen in it
}

// CommitOf is the commit that a release was built from, in full where it is
// known; "" where nobody said.
func (s *Service) CommitOf(ctx context.Context, project int64, version string) (string, error) {
	k, err := s.releases.Facts(ctx, s.db, project, version)
	if err != nil {
		return "", err
	}
	return k.Release(version).Commit, nil
}

// Appeared says in which release an issue appeared: the one that is asked
// about, else the one in which it regressed last, else was first seen.
func (s *Service) Appeared(ctx context.Context, p *projects.Project, is *issues.Issue,
	version string) (Appearance, error) {
	sp := Appearance{Release: version}
	var detail sql.NullString
	if version == "" {
		err := s.db.QueryRowContext(ctx, "SELECT r.name, h.detail FROM history h JOIN app_release r ON r.id=h.app_release WHERE h.issue=? AND h.kind='regressed' AND h.undone=0 ORDER BY h.id DESC LIMIT 1", is.ID).Scan(&sp.Release, &detail)
		if errors.Is(err, sql.ErrNoRows) {
			sp.Release = is.FirstRelease
		} else if err != nil {
			return sp, err
		}
	}
	if sp.Release == "" {
		return sp, nil
	}
	k, err := s.releases.Facts(ctx, s.db, p.ID, sp.Release)
	if err != nil {
		return sp, err
	}
	in := k.Release(sp.Release)
	sp.To, sp.Out = in.Commit, in.FirstSeen
	var began sql.NullInt64
	if err := s.db.QueryRowContext(ctx, "SELECT MIN(x.first_seen) FROM issue_release x JOIN app_release r ON r.id=x.app_release WHERE x.issue=? AND r.project=? AND r.hash=?", is.ID, p.ID, db.Hash16(sp.Release)).Scan(&began); err != nil {
		return sp, err
	}
	if began.Valid {
		sp.Began = db.FromMicros(began.Int64)
	}
	if detail.Valid {
		var c ingest.CameFrom
		if json.Unmarshal([]byte(detail.String), &c) == nil && c.From != "" {
			sp.Before, sp.From = c.LastGood, c.From
			if sp.Before == "" {
				sp.Before = "the fix"
			}
			return sp, nil
		}
	}
	list, err := s.releases.Ordered(ctx, s.db, p.ID, k)
	if err != nil {
		return sp, err
	}
	for _, r := range list { // the last before it, best one whose commit it descends from
		if r.Version == in.Version || release.Compare(r, in, k.Policy, k.Commits).Compare >= 0 {
			continue
		}
		known := k.Graph.Contains(in.Commit, r.Commit) && r.Commit != in.Commit
		if known || sp.From == "" {
			sp.Before = r.Version
			if sp.From = ""; known {
				sp.From = r.Commit
			}
		}
	}
	return sp, nil
}
