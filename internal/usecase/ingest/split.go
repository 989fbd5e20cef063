package ingest

import (
	"context"
	"database/sql"
	"errors"
	"slices"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
)

// splitRule is a split that acts on what is processed under some fingerprint.
type splitRule struct {
	id int64
	difference.Difference
}

// takeApart files events that have the difference of a split under its
// variants: those of a fingerprint, then of the part, until no split is for it.
func (w *batchTx) takeApart(ctx context.Context) error {
	if !w.apart {
		return nil
	}
	rules, err := w.splitRules(ctx)
	if err != nil {
		return err
	}
	at := w.rows
	for len(at) > 0 {
		byPrint, err := w.splitsFor(ctx, rules, at)
		if err != nil || len(byPrint) == 0 {
			return err
		}
		var moved []*row
		for _, r := range at {
			ids := byPrint[r.variant.print]
			i := slices.IndexFunc(ids, func(id int64) bool { return rules[id].Holds(r.Event, r.Frames) })
			if i < 0 {
				continue
			}
			if r.variant, err = w.partOf(ctx, r, ids[i]); err != nil {
				return err
			}
			moved = append(moved, r)
		}
		at = moved
	}
	return nil
}

// splitRules reads the project's splits that are not undone.
func (w *batchTx) splitRules(ctx context.Context) (map[int64]splitRule, error) {
	out := map[int64]splitRule{}
	return out, db.Each(ctx, w.tx, func(r *sql.Rows) error {
		var x splitRule
		err := r.Scan(&x.id, &x.Kind, &x.Name, &x.Value)
		out[x.id] = x
		return err
	}, "SELECT id, kind, name, value FROM split WHERE project=? AND active=1", w.Project.ID)
}

// splitsFor lists which splits are for the fingerprints of rows, the oldest first.
func (w *batchTx) splitsFor(ctx context.Context, rules map[int64]splitRule,
	rows []*row) (map[fingerprint.Key][]int64, error) {
	seen := map[fingerprint.Key]bool{}
	var hashes []any
	for _, r := range rows {
		if k := r.variant.print; !seen[k] {
			seen[k] = true
			hashes = append(hashes, k[:])
		}
	}
	out := map[fingerprint.Key][]int64{}
	for chunk := range slices.Chunk(hashes, db.AskedRows) {
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var hash []byte
			if err := r.Scan(&id, &hash); err != nil {
				return err
			}
			if _, active := rules[id]; active {
				k := fingerprint.Key(hash)
				out[k] = append(out[k], id)
			}
			return nil
		}, "SELECT split, hash FROM split_alias WHERE grouping_version=? AND hash IN ("+db.Marks(len(chunk))+") ORDER BY split", append([]any{w.Project.GroupingVersion}, chunk...)...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// partOf finds or makes the variant that a split makes of a row's.
func (w *batchTx) partOf(ctx context.Context, r *row, split int64) (*variantRow, error) {
	of := r.variant
	hash := of.hash.Part(split)
	if v := w.variants[hash]; v != nil {
		return v, nil
	}
	v, err := PartVariant(ctx, w.tx, w.Project.ID, of.ID, split)
	if err == nil {
		w.variants[hash], w.fresh[v.ID] = v, r // made in this batch or before
	}
	return v, err
}

// PartVariant finds the variant that a split makes of another one, or makes it
// in the issue that the part is in.
func PartVariant(ctx context.Context, tx *sql.Tx, project, of, split int64) (*variantRow, error) {
	var version int
	var hash, print, base, basePrint []byte
	var provisional bool
	var release sql.NullInt64
	var rules int64
	var parts string
	err := db.FirstInto(ctx, tx, db.Into{"grouping_version": &version, "hash": &hash, "fingerprint": &print, "base": &base, "base_fingerprint": &basePrint, "provisional": &provisional, "app_release": &release, "rules_version": &rules, "parts": &parts}, "SELECT grouping_version, hash, fingerprint, COALESCE(base, hash) AS base, COALESCE(base_fingerprint, fingerprint) AS base_fingerprint, provisional, app_release, rules_version, parts FROM variant WHERE id=?", of)
	if err != nil {
		return nil, err
	}
	v := &variantRow{hash: fingerprint.Key(hash).Part(split), print: fingerprint.Key(print).Part(split)}
	err = tx.QueryRowContext(ctx, "SELECT id, issue, exemplars FROM variant WHERE project=? AND grouping_version=? AND hash=?", project, version, v.hash[:]).Scan(&v.ID, &v.issue, &v.exemplars)
	if !errors.Is(err, sql.ErrNoRows) {
		return v, err
	}
	v.issue, err = issues.AliasOf(ctx, tx, project, version, v.print)
	if err == nil && v.issue == 0 {
		err = sql.ErrNoRows
	}
	if err != nil {
		return nil, err
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO variant (project, grouping_version, hash, issue, fingerprint, base, base_fingerprint, provisional, app_release, rules_version, parts) VALUES (?,?,?,?,?,?,?,?,?,?,?)",
		project, version, v.hash[:], v.issue, v.print[:], base, basePrint, provisional, release, rules,
		event.TrimText(parts, 60000))
	if err != nil {
		return nil, err
	}
	if v.ID, err = res.LastInsertId(); err != nil {
		return nil, err
	}
	return v, issues.CopyFacts(ctx, tx, of, v.ID)
}
