package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/pipeline"
)

// adoptChunk is how many variants are fingerprinted anew before the progress
// is written down.
const adoptChunk = 100

// Printer fingerprints a kept body anew.
type Printer func(ctx context.Context, body []byte) (key, through fingerprint.Key, err error)

// AdoptGrouping makes the issues of a project known under the grouping version
// of this binary, so that nothing regroups by itself: the events that are kept
// of each older variant are fingerprinted anew, and what comes out leads to the
// issue they are in. print does that for one kept body: through is the
// fingerprint that blames who called its origin, zero where there is none. Where two issues come
// to one fingerprint the one of the older variant has it. It can be stopped at
// any time and goes on where it was; variants is how many were looked at.
func (s *Store) AdoptGrouping(ctx context.Context, project int64, print Printer) (variants int, err error) {
	var version, last int64
	if err := s.db.QueryRowContext(ctx, "SELECT grouping_version, grouping_adopted FROM project WHERE id=?", project).Scan(&version, &last); err != nil {
		return 0, err
	}
	if version >= fingerprint.Version {
		return 0, nil
	}
	for {
		ids, err := s.olderVariants(ctx, project, last)
		if err != nil {
			return variants, err
		}
		for _, v := range ids {
			if err := s.adopt(ctx, project, v, print); err != nil {
				return variants, fmt.Errorf("variant %d: %w", v.id, err)
			}
			last = v.id
			variants++
		}
		if len(ids) > 0 {
			if _, err := s.db.ExecContext(ctx, "UPDATE project SET grouping_adopted=? WHERE id=?", last, project); err != nil {
				return variants, err
			}
			continue
		}
		// What was made of no event (an overflow) has the same key in every version.
		if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO alias (project, grouping_version, hash, issue) SELECT project, ?, hash, issue FROM alias WHERE project=? AND grouping_version=?", fingerprint.Version, project, version); err != nil {
			return variants, err
		}
		_, err = s.db.ExecContext(ctx, "UPDATE project SET grouping_version=?, grouping_adopted=0 WHERE id=?", fingerprint.Version, project)
		return variants, err
	}
}

// olderVariant is a variant with the fingerprint it was filed under, without splits.
type olderVariant struct {
	id, issue int64
	version   int
	print     []byte
	looked    bool
}

func (s *Store) olderVariants(ctx context.Context, project, after int64) (list []olderVariant, err error) {
	err = each(ctx, s.db, func(r *sql.Rows) error {
		var v olderVariant
		err := r.Scan(&v.id, &v.issue, &v.version, &v.print, &v.looked)
		list = append(list, v)
		return err
	}, "SELECT id, issue, grouping_version, COALESCE(base_fingerprint, fingerprint), looked FROM variant WHERE project=? AND grouping_version<? AND id>? ORDER BY id LIMIT ?", project, fingerprint.Version, after, adoptChunk)
	return list, err
}

func (s *Store) adopt(ctx context.Context, project int64, v olderVariant, print Printer) error {
	var bodies [][]byte
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var packed []byte
		if err := r.Scan(&packed); err != nil {
			return err
		}
		raw, err := pipeline.Decompress(packed)
		bodies = append(bodies, raw)
		return err
	}, "SELECT body FROM exemplar WHERE variant=? ORDER BY thrown", v.id)
	if err != nil {
		return err
	}
	for _, raw := range bodies {
		key, through, err := print(ctx, raw)
		if err != nil {
			return err
		}
		err = s.InTx(ctx, func(tx *sql.Tx) error {
			if err := lockProject(ctx, tx, project); err != nil {
				return err
			}
			// Both lead there, so that it does not matter whether the function is
			// known yet to fail on behalf of its callers.
			keys := []fingerprint.Key{key, through}
			if v.looked && through != (fingerprint.Key{}) {
				keys = []fingerprint.Key{through, key}
			}
			for _, k := range keys {
				if k == (fingerprint.Key{}) {
					continue
				}
				if err := adoptKey(ctx, tx, project, v, fingerprint.Key(v.print), k); err != nil {
					return err
				}
			}
			if v.looked {
				_, err := tx.ExecContext(ctx, "UPDATE alias SET looked=1 WHERE project=? AND grouping_version=? AND hash=?", project, fingerprint.Version, key[:])
				return err
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// adoptKey lets a fingerprint of this version lead where one of an older
// version leads, for the moves and splits that are for that one as well, and
// with all parts that were split off.
func adoptKey(ctx context.Context, tx *sql.Tx, project int64, v olderVariant, old, key fingerprint.Key) error {
	issue := v.issue
	err := tx.QueryRowContext(ctx, "SELECT issue FROM alias WHERE project=? AND grouping_version=? AND hash=?", project, v.version, old[:]).Scan(&issue)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	done, err := tx.ExecContext(ctx, "INSERT IGNORE INTO alias (project, grouping_version, hash, issue) VALUES (?,?,?,?)", project, fingerprint.Version, key[:], issue)
	if err != nil {
		return err
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return err // it leads somewhere already, and that is for its own moves
	}
	const moves = "INSERT IGNORE INTO move_alias (move, grouping_version, hash) SELECT a.move, ?, ? FROM move_alias a JOIN move m ON m.id=a.move WHERE a.hash=? AND a.grouping_version=? AND m.project=?"
	if _, err := tx.ExecContext(ctx, moves, fingerprint.Version, key[:], old[:], v.version, project); err != nil {
		return err
	}
	splits, err := numbers(ctx, tx, "SELECT a.split FROM split_alias a JOIN split s ON s.id=a.split WHERE a.hash=? AND a.grouping_version=? AND s.project=? ORDER BY a.split", old[:], v.version, project)
	if err != nil {
		return err
	}
	for _, id := range splits {
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO split_alias (split, grouping_version, hash) VALUES (?,?,?)", id, fingerprint.Version, key[:]); err != nil {
			return err
		}
		if err := adoptKey(ctx, tx, project, v, old.Part(id), key.Part(id)); err != nil {
			return err
		}
	}
	return nil
}
