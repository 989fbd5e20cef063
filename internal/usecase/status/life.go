package status

import (
	"context"
	"database/sql"
	"errors"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/release"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
)

// WakeDue wakes the parked issues whose time has come, and says how many.
func (s *Service) WakeDue(ctx context.Context) (woken int, err error) {
	ids, err := db.Numbers(ctx, s.db, "SELECT p.issue FROM parked p JOIN issue i ON i.id=p.issue WHERE p.until<=? AND i.merged_into IS NULL ORDER BY p.until LIMIT 1000", db.Micros(s.db.Now()))
	for _, id := range ids {
		if err != nil {
			return woken, err
		}
		woke := false
		err = s.db.InTx(ctx, func(tx *sql.Tx) error {
			woke = false
			project, st, err := s.Lock(ctx, tx, id)
			if err != nil || st == nil {
				return err
			}
			p, err := LoadParked(ctx, tx, id)
			if err != nil {
				return err
			}
			next, entry := issue.ReleaseFacts{}.Wake(st.Status, s.db.Now(), p.Since(s.db.Now()), nil)
			if woke = entry != nil; !woke {
				return nil
			}
			return s.byItself(ctx, tx, project, id, *st, next, *entry)
		})
		if err == nil && woke {
			woken++
		}
	}
	return woken, err
}

// Lock locks an issue as decisions do; nil when it is gone.
func (s *Service) Lock(ctx context.Context, tx *sql.Tx, id int64) (project int64, _ *issues.StatusRow, err error) {
	err = tx.QueryRowContext(ctx, "SELECT project FROM issue WHERE id=?", id).Scan(&project)
	if err == nil {
		err = projects.Lock(ctx, tx, project)
	}
	if err != nil {
		return 0, nil, err
	}
	var st issues.StatusRow
	err = issues.LockStatus(ctx, tx, &st, nil, "SELECT "+issues.StatusColumns+" FROM issue i WHERE i.id=? AND i.merged_into IS NULL AND i.deleted IS NULL FOR UPDATE", id)
	if errors.Is(err, sql.ErrNoRows) {
		return project, nil, nil
	}
	if err != nil {
		return 0, nil, err
	}
	return project, &st, nil
}

// byItself writes what time, an event or a commit did to an issue.
func (s *Service) byItself(ctx context.Context, tx *sql.Tx, project, id int64, before issues.StatusRow,
	next issue.Status, e issue.Entry) error {
	c := Change{Project: project, Issue: id, Before: before,
		After: &issues.StatusRow{Status: next, OwnerID: before.OwnerID}, Entry: HistoryLine{Entry: e,
			Who: accounts.Service}}
	if e.Before != nil {
		c.Entry.Before = &before
	}
	if err := s.Change(ctx, tx, c); err != nil {
		return err
	}
	return projects.Touch(ctx, tx, project)
}

// FindReleases looks for the releases of all fixes that wait for one: in the
// next release, or by a commit. The project is locked.
func (s *Service) FindReleases(ctx context.Context, tx *sql.Tx, project int64) error {
	ids, err := db.Numbers(ctx, tx, "SELECT id FROM issue FORCE INDEX (fixes) WHERE project=? AND fix_kind IN ('next','commit') AND state='fixed' AND fixed_in='' AND merged_into IS NULL AND deleted IS NULL ORDER BY id LIMIT 5000", project)
	if err != nil {
		return err
	}
	return s.FindReleasesOf(ctx, tx, project, ids...)
}

// FindReleasesOf looks for the oldest release that contains the fix of each issue.
func (s *Service) FindReleasesOf(ctx context.Context, tx *sql.Tx, project int64, ids ...int64) error {
	if len(ids) == 0 {
		return nil
	}
	k, err := s.releases.Facts(ctx, tx, project)
	if err != nil {
		return err
	}
	list, err := s.releases.Ordered(ctx, tx, project, k)
	if err != nil {
		return err
	}
	by := map[string]release.Release{}
	for _, r := range list {
		by[r.Version] = r
	}
	k.Release = releases.Among(by)
	for _, id := range ids {
		if err := s.findRelease(ctx, tx, project, id, k, list); err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) findRelease(ctx context.Context, tx *sql.Tx, project, id int64, k releases.ReleaseFacts,
	list []release.Release) error {
	_, st, err := s.Lock(ctx, tx, id)
	if err != nil || st == nil || st.State != issue.Fixed || st.FixedIn != "" {
		return err
	}
	if st.Kind == issue.FixCommit {
		if err := s.completeCommit(ctx, tx, project, id, k.Graph, st); err != nil {
			return err
		}
	}
	for _, r := range list {
		if answer, _ := k.Holds(st.Fix, r); answer != issue.Contains {
			continue
		}
		next, entry := issue.Out(st.Status, r)
		if entry == nil {
			return nil
		}
		return s.byItself(ctx, tx, project, id, *st, next, *entry)
	}
	return nil
}

// completeCommit says in the history that the commit of a fix was pushed, once.
func (s *Service) completeCommit(ctx context.Context, tx *sql.Tx, project, id int64, g *commits.Graph,
	st *issues.StatusRow) error {
	full := releases.FullCommit(g, st.Commit)
	if !g.Has(full) {
		return nil
	}
	before := *st
	st.Commit = full
	var said int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM history WHERE issue=? AND kind='pushed' AND id>(SELECT COALESCE(MAX(id),0) FROM history WHERE issue=? AND kind='fix' AND undone=0)", id, id).Scan(&said); err != nil || said > 0 {
		return err
	}
	c, err := s.commit(ctx, tx, project, full)
	if err != nil {
		return err
	}
	text := "commit " + release.Short(full) + " was pushed: " + c.Subject + ", by " + c.Author
	return s.Change(ctx, tx,
		Change{Project: project, Issue: id, Before: before, After: st,
			Entry: HistoryLine{Who: accounts.Service, Entry: issue.Entry{Kind: "pushed", Text: text}}})
}

// commit reads one commit.
func (s *Service) commit(ctx context.Context, q db.Querier, project int64, hash string) (commits.Commit, error) {
	list, err := s.releases.CommitList(ctx, q, project, []string{hash})
	if err != nil || len(list) == 0 {
		return commits.Commit{Hash: hash}, err
	}
	return list[0], nil
}
