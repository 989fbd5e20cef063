package ingest

import (
	"context"
	"database/sql"
	"maps"
	"slices"
	"time"

	"firethorn/internal/core/sampling"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
)

// loadDictionaries finds the dictionaries of the issues that have one this
// week. Which there are is asked each time, since one may have been erased;
// their contents are remembered.
func (w *batchTx) loadDictionaries(ctx context.Context) error {
	var ids []any
	for id, is := range w.issues {
		if is.bodies >= events.DictionaryAfter {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	found := map[int64]int64{} // issue → dictionary
	err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
		var id, issue int64
		err := r.Scan(&id, &issue)
		found[issue] = id
		return err
	}, "SELECT id, issue FROM dictionary WHERE week=? AND issue IN ("+db.Marks(len(ids))+")", append([]any{events.Week(db.Day(w.now))}, ids...)...)
	if err != nil {
		return err
	}
	dictionaries, err := w.s.events.Dictionaries(ctx, w.tx, slices.Collect(maps.Values(found)))
	if err != nil {
		return err
	}
	for issue, id := range found {
		w.issues[issue].dictionary = dictionaries[id]
	}
	return nil
}

// newDictionary makes a body the dictionary of its issue for this week; later
// transactions use it.
func (w *batchTx) newDictionary(ctx context.Context, r *row) error {
	user := nullUser(r.Item)
	content := pipeline.Dictionary(r.Body, events.DictionaryBytes, user != nil)
	if len(content) < 64 {
		return nil
	}
	r.issue.dictionaryMade = true
	_, err := w.tx.ExecContext(ctx, "INSERT IGNORE INTO dictionary (project, issue, week, user, content) VALUES (?,?,?,?,?)", w.Project.ID, r.issue.id, events.Week(db.Day(w.now)), user, pipeline.Compress(content))
	return err
}

// chooseBodies decides which bodies of the batch are kept.
func (w *batchTx) chooseBodies(ctx context.Context) error {
	firsts, err := w.bodyFirsts(ctx)
	if err != nil {
		return err
	}
	events := map[*issueRow]int64{}
	var fresh [][]any
	for _, r := range w.rows {
		is := r.issue
		f := sampling.Facts{ID: r.ID, Kept: is.bodies, Events: is.events + events[is]}
		if is.bodies >= sampling.Always && !is.status.CountOnly {
			k := r.firstKey(w.now)
			if f.FirstOf = !firsts[k]; f.FirstOf {
				firsts[k] = true
				fresh = append(fresh, []any{k.a, k.b, k.c, k.d})
			}
		}
		events[is] += r.Event.StandsFor
		if r.kept = !is.status.CountOnly && sampling.Keep(f) != sampling.None; r.kept {
			is.bodies++
			w.bodies[r.variant.ID]++
		}
	}
	return w.upsert(ctx, "INSERT IGNORE INTO body_first (day, issue, app_release, environment)", "", fresh, 4)
}

// firstKey is what one body at least is kept of.
func (r *row) firstKey(now time.Time) key4 {
	return key4{int64(db.Day(now)), r.issue.id, r.release, r.env}
}

// bodyFirsts reads which of the batch's releases and environments have a body
// of today.
func (w *batchTx) bodyFirsts(ctx context.Context) (map[key4]bool, error) {
	asked, out := map[key4]bool{}, map[key4]bool{}
	byIssue := map[int64]bool{}
	for _, r := range w.rows {
		if k := r.firstKey(w.now); r.issue.bodies >= sampling.Always && !asked[k] {
			asked[k] = true
			byIssue[k.b] = true
		}
	}
	var issues [][]any
	for id := range byIssue {
		issues = append(issues, []any{int64(db.Day(w.now)), id})
	}
	err := db.EachOf(ctx, w.tx, "day, issue", issues, func(r *sql.Rows) error {
		var k key4
		err := r.Scan(&k.a, &k.b, &k.c, &k.d)
		out[k] = true
		return err
	}, "SELECT b.day, b.issue, b.app_release, b.environment FROM x STRAIGHT_JOIN body_first b ON b.day=x.day AND b.issue=x.issue")
	return out, err
}

// writeNewest writes the newest body that is not kept into the slot of its
// variant.
func (w *batchTx) writeNewest(ctx context.Context) error {
	newest := map[int64]*row{}
	for _, r := range w.rows {
		switch {
		case r.kept:
			delete(newest, r.variant.ID) // a kept one is newer
		case !r.issue.status.CountOnly:
			newest[r.variant.ID] = r
		}
	}
	if len(newest) == 0 {
		return nil
	}
	var ids []any
	for id := range newest {
		ids = append(ids, id)
	}
	now := db.Micros(w.now)
	err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
		var id, written int64
		err := r.Scan(&id, &written)
		if now-written < events.NewestEvery && written <= now {
			delete(newest, id)
		}
		return err
	}, "SELECT variant, written FROM newest_body WHERE variant IN ("+db.Marks(len(ids))+")", ids...)
	if err != nil {
		return err
	}
	var rows [][]any
	for id, r := range newest {
		d, body := events.PackBody(r.Body, r.issue.dictionary)
		rows = append(rows, []any{id, w.Project.ID, r.position, r.keepDay, now, d, body})
	}
	return w.upsert(ctx, "REPLACE INTO newest_body (variant, project, filing, keep_day, written, dictionary, body)", "", rows, 1)
}
