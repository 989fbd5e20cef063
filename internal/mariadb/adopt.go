package mariadb

import (
	"context"
	"database/sql"
	"fmt"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/pipeline"
)

// adoptChunk is how many variants are fingerprinted anew before the progress
// is written down.
const adoptChunk = 100

// AdoptGrouping makes the issues of a project known under the grouping version
// of this binary, so that nothing regroups by itself: the events that are kept
// of each older variant are fingerprinted anew, and what comes out leads to the
// issue they are in. print does that for one kept body. Where two issues come
// to one fingerprint the one of the older variant has it. It can be stopped at
// any time and goes on where it was; variants is how many were looked at.
func (s *Store) AdoptGrouping(ctx context.Context, project int64, print func(ctx context.Context, body []byte) (fingerprint.Key, error)) (variants int, err error) {
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

type olderVariant struct{ id, issue int64 }

func (s *Store) olderVariants(ctx context.Context, project, after int64) (list []olderVariant, err error) {
	err = each(ctx, s.db, func(r *sql.Rows) error {
		var v olderVariant
		err := r.Scan(&v.id, &v.issue)
		list = append(list, v)
		return err
	}, "SELECT id, issue FROM variant WHERE project=? AND grouping_version<? AND id>? ORDER BY id LIMIT ?", project, fingerprint.Version, after, adoptChunk)
	return list, err
}

func (s *Store) adopt(ctx context.Context, project int64, v olderVariant, print func(ctx context.Context, body []byte) (fingerprint.Key, error)) error {
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
		key, err := print(ctx, raw)
		if err != nil {
			return err
		}
		if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO alias (project, grouping_version, hash, issue) VALUES (?,?,?,?)", project, fingerprint.Version, key[:], v.issue); err != nil {
			return err
		}
	}
	return nil
}
