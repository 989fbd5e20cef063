package mariadb

import (
	"context"
	"database/sql"
	"errors"

	"firethorn/internal/core/commits"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/release"
)

// WakeDue wakes the parked issues whose time has come, and says how many.
func (s *Store) WakeDue(ctx context.Context) (woken int, err error) {
	ids, err := numbers(ctx, s.db, "SELECT p.issue FROM parked p JOIN issue i ON i.id=p.issue WHERE p.until<=? AND i.merged_into IS NULL ORDER BY p.until LIMIT 1000", micros(s.now()))
	for _, id := range ids {
		if err != nil {
			return woken, err
		}
		woke := false
		err = s.InTx(ctx, func(tx *sql.Tx) error {
			woke = false
			project, st, err := s.lockStanding(ctx, tx, id)
			if err != nil || st == nil {
				return err
			}
			p, err := loadParked(ctx, tx, id)
			if err != nil {
				return err
			}
			next, entry := issue.Known{}.Wake(st.Standing, s.now(), p.since(s.now()), nil)
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

// lockStanding locks an issue as decisions do; nil when it is gone.
func (s *Store) lockStanding(ctx context.Context, tx *sql.Tx, id int64) (project int64, _ *standingRow, err error) {
	err = tx.QueryRowContext(ctx, "SELECT project FROM issue WHERE id=?", id).Scan(&project)
	if err == nil {
		err = lockProject(ctx, tx, project)
	}
	if err != nil {
		return 0, nil, err
	}
	var st standingRow
	scan := standingScan{st: &st}
	err = tx.QueryRowContext(ctx, "SELECT "+standingColumns+" FROM issue i WHERE i.id=? AND i.merged_into IS NULL AND i.deleted IS NULL FOR UPDATE", id).Scan(scan.into()...)
	if errors.Is(err, sql.ErrNoRows) {
		return project, nil, nil
	}
	if err != nil {
		return 0, nil, err
	}
	return project, &st, scan.done()
}

// byItself writes what time, an event or a commit did to an issue.
func (s *Store) byItself(ctx context.Context, tx *sql.Tx, project, id int64, before standingRow, next issue.Standing, e issue.Entry) error {
	if err := s.saveStanding(ctx, tx, project, id, standingRow{Standing: next, OwnerID: before.OwnerID}, false); err != nil {
		return err
	}
	if next.State != before.State {
		if err := s.copyState(ctx, tx, id, next.State); err != nil {
			return err
		}
	}
	t := historyLine{Entry: e, who: service}
	if e.Before != nil {
		t.before = &before
	}
	if err := s.tell(ctx, tx, project, id, t); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", project)
	return err
}

// findReleases looks for the releases of all fixes that wait for one: in the
// next release, or by a commit. The project is locked.
func (s *Store) findReleases(ctx context.Context, tx *sql.Tx, project int64) error {
	ids, err := numbers(ctx, tx, "SELECT id FROM issue FORCE INDEX (fixes) WHERE project=? AND fix_kind IN ('next','commit') AND state='fixed' AND fixed_in='' AND merged_into IS NULL AND deleted IS NULL ORDER BY id LIMIT 5000", project)
	if err != nil {
		return err
	}
	return s.findReleasesOf(ctx, tx, project, ids...)
}

// findReleasesOf looks for the oldest release that contains the fix of each issue.
func (s *Store) findReleasesOf(ctx context.Context, tx *sql.Tx, project int64, ids ...int64) error {
	if len(ids) == 0 {
		return nil
	}
	k, err := s.known(ctx, tx, project)
	if err != nil {
		return err
	}
	list, err := s.ordered(ctx, tx, project, k)
	if err != nil {
		return err
	}
	by := map[string]release.Release{}
	for _, r := range list {
		by[r.Version] = r
	}
	k.Release = among(by)
	for _, id := range ids {
		if err := s.findRelease(ctx, tx, project, id, k, list); err != nil {
			return err
		}
	}
	return nil
}

func (s *Store) findRelease(ctx context.Context, tx *sql.Tx, project, id int64, k knowledge, list []release.Release) error {
	_, st, err := s.lockStanding(ctx, tx, id)
	if err != nil || st == nil || st.State != issue.Fixed || st.FixedIn != "" {
		return err
	}
	if st.Kind == issue.FixCommit {
		if err := s.completeCommit(ctx, tx, project, id, k.graph, st); err != nil {
			return err
		}
	}
	for _, r := range list {
		if answer, _ := k.Holds(st.Fix, r); answer != issue.Contains {
			continue
		}
		next, entry := issue.Out(st.Standing, r)
		if entry == nil {
			return nil
		}
		return s.byItself(ctx, tx, project, id, *st, next, *entry)
	}
	return nil
}

// completeCommit says in the history that the commit of a fix was pushed, once.
func (s *Store) completeCommit(ctx context.Context, tx *sql.Tx, project, id int64, g *commits.Graph, st *standingRow) error {
	full := fullCommit(g, st.Commit)
	if !g.Has(full) {
		return nil
	}
	st.Commit = full
	var said int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM history WHERE issue=? AND kind='pushed' AND id>(SELECT COALESCE(MAX(id),0) FROM history WHERE issue=? AND kind='fix' AND undone=0)", id, id).Scan(&said); err != nil || said > 0 {
		return err
	}
	c, err := s.commit(ctx, tx, project, full)
	if err != nil {
		return err
	}
	if err := s.saveStanding(ctx, tx, project, id, *st, false); err != nil {
		return err
	}
	return s.tell(ctx, tx, project, id, historyLine{who: service, Entry: issue.Entry{Kind: "pushed", Words: "commit " + release.Short(full) + " was pushed: " + c.Subject + ", by " + c.Author}})
}

// commit reads one commit.
func (s *Store) commit(ctx context.Context, q querier, project int64, hash string) (commits.Commit, error) {
	list, err := s.commitList(ctx, q, project, []string{hash})
	if err != nil || len(list) == 0 {
		return commits.Commit{Hash: hash}, err
	}
	return list[0], nil
}
