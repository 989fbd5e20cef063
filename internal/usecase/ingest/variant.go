package ingest

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
)

// chooseVariants finds or makes the variant of each event and, through the
// alias of its fingerprint, the issue.
func (w *batchTx) chooseVariants(ctx context.Context) error {
	w.variants = map[fingerprint.Key]*variantRow{}
	first := map[fingerprint.Key]*row{}
	var keys []fingerprint.Key // in order of arrival: so are new issues numbered
	for _, r := range w.rows {
		if k := r.Print.Variant; first[k] == nil {
			first[k] = r
			keys = append(keys, k)
		}
	}
	for chunk := range slices.Chunk(keys, db.AskedRows) {
		args := []any{w.Project.ID, w.Project.GroupingVersion}
		for _, k := range chunk {
			args = append(args, bytes.Clone(k[:]))
		}
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			v := &variantRow{}
			var hash []byte
			var print []byte
			if err := r.Scan(&v.ID, &hash, &v.issue, &v.exemplars, &print); err != nil {
				return err
			}
			v.hash, v.print = fingerprint.Key(hash), fingerprint.Key(print)
			w.variants[fingerprint.Key(hash)] = v
			return nil
		}, "SELECT id, hash, issue, exemplars, fingerprint FROM variant WHERE project=? AND grouping_version=? AND hash IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return err
		}
	}
	instead := map[fingerprint.Key]fingerprint.Result{} // of those that are too many
	for _, k := range keys {
		if w.variants[k] != nil {
			continue
		}
		print, err := w.newVariant(ctx, first[k])
		if err != nil {
			return err
		}
		if print.Variant != k {
			instead[k] = print
		}
	}
	for _, r := range w.rows {
		print, other := instead[r.Print.Variant]
		if other {
			r.Print = print
		}
		r.variant = w.variants[r.Print.Variant]
		if !other && r.Print.Caller != "" && r.variant.print != r.Print.Key {
			r.Print = r.Print.Through(r.Event, r.Frames) // as the variant was processed
		}
	}
	if err := w.takeApart(ctx); err != nil {
		return err
	}
	return w.loadForms(ctx)
}

// lookThrough gives r the fingerprint that blames who called its origin, when
// so many different functions did that it must fail on their behalf. What is
// processed already stays where it is.
func (w *batchTx) lookThrough(ctx context.Context, r *row) error {
	if r.Print.Caller == "" {
		return nil
	}
	var callers int
	var looked bool
	const query = "SELECT (SELECT COUNT(DISTINCT COALESCE(caller, base, hash)) FROM variant WHERE project=? AND grouping_version=? AND fingerprint=? AND (caller IS NULL OR caller<>?)), COALESCE((SELECT looked FROM alias WHERE project=? AND grouping_version=? AND hash=?),0)"
	args := []any{w.Project.ID, w.Project.GroupingVersion, r.Print.Key[:], callerHash(r.Print), w.Project.ID,
		w.Project.GroupingVersion, r.Print.Key[:]}
	if err := w.tx.QueryRowContext(ctx, query, args...).Scan(&callers, &looked); err != nil {
		return err
	}
	if !looked && !fingerprint.FoundOut(r.Event, r.Frames, callers+1) {
		return nil
	}
	if !looked {
		if err := issues.LookThroughAlias(ctx, w.tx, w.Project.ID, w.Project.GroupingVersion, r.Print.Key); err != nil {
			return err
		}
	}
	r.Print = r.Print.Through(r.Event, r.Frames)
	return nil
}

// loadForms reads which raw forms are kept of the variants that have room for
// more, so that a body is not sent again only to be ignored.
func (w *batchTx) loadForms(ctx context.Context) error {
	byID := map[int64]*variantRow{}
	var ids []any
	for _, v := range w.variants {
		if v.exemplars > 0 && v.exemplars < maxExemplars {
			v.forms = map[fingerprint.Key]bool{}
			byID[v.ID] = v
			ids = append(ids, v.ID)
		}
	}
	for chunk := range slices.Chunk(ids, db.AskedRows) {
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id int64
			var form []byte
			if err := r.Scan(&id, &form); err != nil {
				return err
			}
			byID[id].forms[fingerprint.Key(form)] = true
			return nil
		}, "SELECT variant, form FROM exemplar WHERE variant IN ("+db.Marks(len(chunk))+")", chunk...)
		if err != nil {
			return err
		}
	}
	return nil
}

// newVariant makes the variant of r, whose fingerprint it gives as it is to be
// processed; where that is another than its own, that variant may be there already.
func (w *batchTx) newVariant(ctx context.Context, r *row) (fingerprint.Result, error) {
	if err := w.lookThrough(ctx, r); err != nil {
		return r.Print, err
	}
	issue, err := w.aliasOf(ctx, r.Print.Key)
	if err != nil {
		return r.Print, err
	}
	if issue == 0 {
		if issue, err = w.wholeOf(ctx, r.Print); err != nil {
			return r.Print, err
		}
	}
	if err := w.noteAs(ctx, r.Print); err != nil {
		return r.Print, err
	}
	print := r.Print
	if issue == 0 {
		if print, err = w.capped(ctx, r); err != nil {
			return print, err
		}
	} else if n, err := w.caps.room(ctx, newVariants, 1); err != nil || n == 0 {
		// One more of too many: it counts with a variant that its issue has.
		w.tally.Add(r.Received, inbox.CauseCapped, newVariants.what, 1)
		return w.anyVariant(ctx, r.Print, issue, err)
	}
	if print.Variant != r.Print.Variant {
		if w.variants[print.Variant] != nil {
			return print, nil
		}
		if v, err := w.findVariant(ctx, "project=? AND grouping_version=? AND hash=?", w.Project.ID,
			w.Project.GroupingVersion, print.Variant[:]); err != nil || v != nil {
			w.variants[print.Variant] = v
			return print, err
		}
		if issue, err = w.aliasOf(ctx, print.Key); err != nil {
			return print, err
		}
	}
	r.Print = print
	v := &variantRow{issue: issue, hash: print.Variant, print: print.Key}
	if issue == 0 {
		if v.issue, err = w.newIssue(ctx, r); err != nil {
			return print, err
		}
	}
	parts, err := json.Marshal(print.Parts)
	if err != nil {
		return print, err
	}
	res, err := w.tx.ExecContext(ctx, "INSERT INTO variant (project, grouping_version, hash, issue, fingerprint, provisional, app_release, looked, rules_version, caller, stays, parts, facts) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,1)",
		w.Project.ID, w.Project.GroupingVersion, print.Variant[:], v.issue, print.Key[:], print.Provisional,
		db.NullID(r.release), print.Looked, w.Project.RulesVersion, callerHash(print), staysHash(print),
		event.TrimText(string(parts), 60000))
	if err != nil {
		return print, err
	}
	v.ID, err = res.LastInsertId()
	w.variants[print.Variant], w.fresh[v.ID] = v, r
	return print, err
}

// callerHash is what callers are counted by; nil where none is named.
func callerHash(p fingerprint.Result) any {
	if p.Caller == "" {
		return nil
	}
	return db.Hash16(p.CallerName)
}

// anyVariant files under a variant that an issue has.
func (w *batchTx) anyVariant(ctx context.Context, print fingerprint.Result, issue int64,
	err error) (fingerprint.Result, error) {
	if err != nil {
		return print, err
	}
	var hash []byte
	if err := w.tx.QueryRowContext(ctx, "SELECT hash FROM variant WHERE issue=? ORDER BY id LIMIT 1", issue).Scan(&hash); err != nil {
		return print, err
	}
	print.Variant = fingerprint.Key(hash)
	if w.variants[print.Variant] == nil {
		v, err := w.findVariant(ctx, "issue=? AND hash=?", issue, hash)
		if err != nil {
			return print, err
		}
		w.variants[print.Variant] = v
	}
	return print, nil
}

// findVariant reads one variant; nil when there is none.
func (w *batchTx) findVariant(ctx context.Context, where string, args ...any) (*variantRow, error) {
	v := &variantRow{}
	var hash, print []byte
	err := w.tx.QueryRowContext(ctx, "SELECT id, issue, exemplars, hash, fingerprint FROM variant WHERE "+where, args...).Scan(&v.ID, &v.issue, &v.exemplars, &hash, &print)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	v.hash, v.print = fingerprint.Key(hash), fingerprint.Key(print)
	return v, nil
}
