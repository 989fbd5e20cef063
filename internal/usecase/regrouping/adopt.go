package regrouping

import (
	"context"
	"database/sql"
	"fmt"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
)

// adoptChunk is how many variants are fingerprinted again before the progress
// is written down.
const adoptChunk = 100

// Printer fingerprints a kept body again, by the version of the rules file that
// its variant was processed under.
type Printer func(ctx context.Context, rulesVersion int, body []byte) (key, through fingerprint.Key, err error)

// WantGrouping lets a project adopt a grouping version, newer or older than its
// own, before its next events are processed. Nothing regroups by that.
func (s *Service) WantGrouping(ctx context.Context, project int64, version int) error {
	if version < fingerprint.Oldest || version > fingerprint.Version {
		return problem.New(problem.BadInput, "there is no grouping version %d; this service knows %d to %d", version, fingerprint.Oldest, fingerprint.Version)
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.WantGrouping(ctx, tx, project, version); err != nil {
			return err
		}
		return projects.Record(ctx, tx, s.db.Now(), project, audit.Act{Action: "grouping version adopted",
			Target: fmt.Sprintf("version %d", version)})
	})
}

// AdoptGrouping makes the issues of a project known under another grouping
// version, so that nothing regroups by itself: the events that are kept
// of each variant of other versions are fingerprinted again, and what comes out leads to the
// issue they are in. print does that for one kept body: through is the
// fingerprint that blames who called its origin, zero where there is none. Where two issues come
// to one fingerprint the one of the older variant has it. It can be stopped at
// any time and goes on where it was; variants is how many were looked at.
func (s *Service) AdoptGrouping(ctx context.Context, project int64, to int, print Printer) (variants int, err error) {
	var version, last int64
	if err := s.db.QueryRowContext(ctx, "SELECT grouping_version, grouping_adopted FROM project WHERE id=?", project).Scan(&version, &last); err != nil {
		return 0, err
	}
	if version == int64(to) {
		return 0, nil
	}
	for {
		ids, err := s.otherVariants(ctx, project, to, last)
		if err != nil {
			return variants, err
		}
		for _, v := range ids {
			if err := s.adopt(ctx, project, to, v, print); err != nil {
				return variants, fmt.Errorf("variant %d: %w", v.id, err)
			}
			last = v.id
			variants++
		}
		if len(ids) > 0 {
			if _, err := s.db.ExecContext(ctx, "UPDATE project SET grouping_adopted=? WHERE id=?", last,
				project); err != nil {
				return variants, err
			}
			continue
		}
		// What was made of no event (an overflow) has the same key in every version.
		if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO alias (project, grouping_version, hash, issue) SELECT project, ?, hash, issue FROM alias WHERE project=? AND grouping_version=?", to, project, version); err != nil {
			return variants, err
		}
		_, err = s.db.ExecContext(ctx, "UPDATE project SET grouping_version=?, grouping_adopted=0 WHERE id=?", to, project)
		return variants, err
	}
}

// otherVariant is a variant with the fingerprint it was processed under, without splits.
type otherVariant struct {
	id, issue      int64
	version, rules int
	print          []byte
	looked         bool
}

func (s *Service) otherVariants(ctx context.Context, project int64, to int,
	after int64) (list []otherVariant, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var v otherVariant
		err := r.Scan(&v.id, &v.issue, &v.version, &v.rules, &v.print, &v.looked)
		list = append(list, v)
		return err
	}, "SELECT id, issue, grouping_version, rules_version, COALESCE(base_fingerprint, fingerprint), looked FROM variant WHERE project=? AND grouping_version<>? AND id>? ORDER BY id LIMIT ?", project, to, after, adoptChunk)
	return list, err
}

func (s *Service) adopt(ctx context.Context, project int64, to int, v otherVariant, print Printer) error {
	var bodies [][]byte
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
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
		key, through, err := print(ctx, v.rules, raw)
		if err != nil {
			return err
		}
		err = s.db.InTx(ctx, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, project); err != nil {
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
				if err := adoptKey(ctx, tx, project, to, v, fingerprint.Key(v.print), k); err != nil {
					return err
				}
			}
			if v.looked {
				return issues.LookThroughAlias(ctx, tx, project, to, key)
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
func adoptKey(ctx context.Context, tx *sql.Tx, project int64, to int, v otherVariant, old, key fingerprint.Key) error {
	issue, err := issues.AliasOf(ctx, tx, project, v.version, old)
	if err != nil {
		return err
	}
	if issue == 0 {
		issue = v.issue
	}
	done, err := tx.ExecContext(ctx, "INSERT IGNORE INTO alias (project, grouping_version, hash, issue) VALUES (?,?,?,?)", project, to, key[:], issue)
	if err != nil {
		return err
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return err // it leads somewhere already, and that is for its own moves
	}
	return carry(ctx, tx, project, to, v, old, key)
}

// carry lets the moves and splits that are for a fingerprint be for another one
// as well, with all parts that were split off.
func carry(ctx context.Context, tx *sql.Tx, project int64, to int, v otherVariant, old, key fingerprint.Key) error {
	const moves = "INSERT IGNORE INTO move_alias (move, grouping_version, hash) SELECT a.move, ?, ? FROM move_alias a JOIN move m ON m.id=a.move WHERE a.hash=? AND a.grouping_version=? AND m.project=?"
	if _, err := tx.ExecContext(ctx, moves, to, key[:], old[:], v.version, project); err != nil {
		return err
	}
	splits, err := db.Numbers(ctx, tx, "SELECT a.split FROM split_alias a JOIN split s ON s.id=a.split WHERE a.hash=? AND a.grouping_version=? AND s.project=? ORDER BY a.split", old[:], v.version, project)
	if err != nil {
		return err
	}
	for _, id := range splits {
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO split_alias (split, grouping_version, hash) VALUES (?,?,?)", id, to, key[:]); err != nil {
			return err
		}
		if err := adoptKey(ctx, tx, project, to, v, old.Part(id), key.Part(id)); err != nil {
			return err
		}
	}
	return nil
}
