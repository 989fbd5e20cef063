package regrouping

import (
	"context"
	"database/sql"
	"fmt"
	"slices"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/regroup"
	"firethorn/internal/db"
	"firethorn/internal/usecase/similar"
)

// planned is a part of a variant with its cell.
type planned struct {
	variant int64
	hash    []byte
}

// anchored makes what an issue has already outweigh what comes.
const anchored = 1 << 40

// plan decides where every part goes, and writes that down.
func (w *regrouping) plan(ctx context.Context) error {
	return w.s.db.InTx(ctx, func(tx *sql.Tx) error {
		// What comes meanwhile waits, so that it finds the issues of the plan.
		if ok, err := w.lock(ctx, tx); err != nil || !ok {
			return err
		}
		cells, parts, err := w.cells(ctx, tx)
		if err != nil {
			return err
		}
		plan := regroup.Decide(cells)
		if plan.New > maxMade {
			why := fmt.Sprintf("it would create %d new issues; the maximum is %d: change the rules so that they separate fewer, and try them", plan.New, maxMade)
			_, err := tx.ExecContext(ctx, "UPDATE regroup SET state='stopped', ended=?, why=? WHERE id=?", db.Micros(w.s.db.Now()), why, w.ID)
			return err
		}
		res, err := tx.ExecContext(ctx, "UPDATE regroup SET state=? WHERE id=? AND state=? AND at_variant=? AND pass=?", string(RegroupMoving), w.ID, string(w.State), w.at, w.pass)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return err
		}
		for i, p := range parts {
			t := plan.Targets[i]
			if c := cells[i]; p.hash == nil || t.Issue == c.Issue && !c.Moves() {
				continue // nobody can tell it apart, or it stays
			}
			if t.Issue != 0 {
				if err := w.alias(ctx, tx, cells[i].Then, t.Issue, "issue=VALUES(issue)", false); err != nil {
					return err
				}
			}
			if _, err := tx.ExecContext(ctx, "UPDATE regroup_part SET target=?, fresh=? WHERE regroup=? AND pass=? AND variant=? AND hash=?", t.Issue, t.New, w.ID, w.pass, p.variant, p.hash); err != nil {
				return err
			}
		}
		return nil
	})
}

// cells are the parts of each variant that are distinguished, the rest of it, and
// who has the fingerprints already that come out.
func (w *regrouping) cells(ctx context.Context, tx *sql.Tx) (cells []regroup.Cell, parts []planned, err error) {
	type variantSum struct{ events, counted, issue int64 }
	cond, args := w.scope()
	sums, stored := map[int64]*variantSum{}, map[int64]regroup.Cell{}
	prints := map[fingerprint.Key]bool{}
	err = db.Each(ctx, tx, func(r *sql.Rows) error {
		var variant, issue, events, bodies int64
		var now []byte
		var part, ruled, whole sql.NullBool
		var hash, print []byte
		var rule sql.NullString
		var n sql.NullInt64
		if err := db.ScanNames(r,
			db.Into{"id": &variant, "issue": &issue, "events": &events, "filed": &now, "part": &part, "ruled": &ruled,
				"hash": &hash, "fingerprint": &print, "rule": &rule, "whole": &whole, "bodies": &n}); err != nil {
			return err
		}
		bodies = n.Int64
		c := regroup.Cell{Issue: issue, Now: fingerprint.Key(now), Part: part.Bool, Events: events}
		if hash == nil { // nothing of it could be read
			c.Then = c.Now
			cells, parts = append(cells, c), append(parts, planned{variant: variant})
			return nil
		}
		c.Then = fingerprint.Key(print)
		// What came after a regrouping that is undone goes by its fingerprint alone.
		c.Ruled = rule.String != "" || ruled.Bool || w.pass > 0 && !c.Part
		if prints[c.Then] = true; !whole.Bool {
			c.Events = min(bodies, events)
			if sums[variant] == nil {
				sums[variant] = &variantSum{events: events, issue: issue}
				stored[variant] = c
			}
			sums[variant].counted += c.Events
		}
		cells, parts = append(cells, c), append(parts, planned{variant, hash})
		return nil
	}, "SELECT v.id, v.issue, v.events, COALESCE(v.base_fingerprint, v.fingerprint) AS filed, v.base_fingerprint IS NOT NULL AS part, "+similar.WasRuled+" AS ruled, p.hash, p.fingerprint, p.rule, p.whole, p.bodies FROM variant v LEFT JOIN regroup_part p ON p.regroup=? AND p.pass=? AND p.variant=v.id WHERE "+cond+" ORDER BY v.id, p.hash",
		append([]any{w.ID, w.pass}, args...)...)
	if err != nil {
		return nil, nil, err
	}
	for variant, s := range sums {
		if rest := s.events - s.counted; rest > 0 {
			c := stored[variant]
			c.Then, c.Ruled, c.Events = c.Now, false, rest
			cells, parts = append(cells, c), append(parts, planned{variant: variant})
		}
	}
	issues := map[int64]bool{}
	for _, c := range cells {
		issues[c.Issue] = true
	}
	anchors, err := w.anchors(ctx, tx, prints, issues)
	for _, c := range anchors {
		cells, parts = append(cells, c), append(parts, planned{})
	}
	return cells, parts, err
}

// anchors are the variants that were not read: those that have a fingerprint
// already which comes out, and those of issues that something may go from.
func (w *regrouping) anchors(ctx context.Context, tx *sql.Tx, prints map[fingerprint.Key]bool,
	issues map[int64]bool) (out []regroup.Cell, err error) {
	cond, scope := w.scope()
	var hashes, ids []any
	for k := range prints {
		hashes = append(hashes, k[:])
	}
	for id := range issues {
		ids = append(ids, id)
	}
	for _, q := range []struct {
		where  string
		first  []any
		values []any
	}{{"v.project=? AND v.grouping_version=? AND v.fingerprint", []any{w.Project, w.p.GroupingVersion},
		hashes}, {"v.issue", nil, ids}} {
		for chunk := range slices.Chunk(q.values, db.StatementRows) {
			args := append(append(slices.Clone(q.first), chunk...), scope...)
			err := db.Each(ctx, tx, func(r *sql.Rows) error {
				var c regroup.Cell
				var print []byte
				if err := r.Scan(&c.Issue, &print, &c.Events); err != nil {
					return err
				}
				c.Now = fingerprint.Key(print)
				if c.Then = c.Now; w.pass > 0 {
					c.Events += anchored
				}
				out = append(out, c)
				return nil
			}, "SELECT v.issue, v.fingerprint, SUM(v.events) FROM variant v WHERE "+q.where+" IN ("+db.Marks(len(chunk))+") AND NOT ("+cond+") GROUP BY v.issue, v.fingerprint", args...)
			if err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}
