package ingest

import (
	"context"
	"fmt"
	"runtime"

	"golang.org/x/sync/errgroup"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
)

// writeEvents writes the rows of events.
func (w *batchTx) writeEvents(ctx context.Context) error {
	rows := make([][]any, len(w.rows))
	keys := make([]events.Key, len(w.rows))
	var odd [][]any
	for i, r := range w.rows {
		w.position++
		r.position = w.position
		rows[i] = []any{w.Project.ID, r.position, r.keepDay, r.storeDay, r.ID[:], db.Micros(r.When.Thrown),
			db.Micros(r.Received), r.variant.ID,
			db.NullID(r.release), r.env, nullUser(r.Item), r.resource, db.Hash16(r.Event.Attributes.Text("session.id")),
			db.Hash16(r.Event.TraceID),
			handled(r.Event.Handled), r.odd, r.kept, r.Event.StandsFor}
		keys[i] = events.Key{Position: r.position, KeepDay: r.keepDay}
		if r.odd {
			odd = append(odd, []any{w.Project.ID, r.ID[:], r.sentMicros(), r.keepDay})
		}
	}
	if err := w.s.db.InsertFixed(ctx, w.tx, "INSERT INTO event (project, filing, keep_day, store_day, id, thrown, received, variant, app_release, environment, user, resource, session, trace, handled, odd_time, has_body, stands_for)", "", rows); err != nil {
		return err
	}
	if err := events.Widen(ctx, w.tx, w.Project.ID, keys); err != nil {
		return err
	}
	return db.InsertRows(ctx, w.tx, "INSERT INTO odd_event (project, id, sent, keep_day)", "", odd)
}

// writeBodies writes the bodies that are kept.
func (w *batchTx) writeBodies(ctx context.Context) error {
	var kept []*row
	for _, r := range w.rows {
		if !r.kept {
			continue
		}
		kept = append(kept, r)
		if r.issue.dictionary == nil && !r.issue.dictionaryMade && r.issue.bodies >= events.DictionaryAfter {
			if err := w.newDictionary(ctx, r); err != nil {
				return err
			}
		}
	}
	bodies := make([][]any, len(kept))
	var packing errgroup.Group // other processors help: the project's lock is held
	packing.SetLimit(runtime.GOMAXPROCS(0))
	for i, r := range kept {
		packing.Go(func() error {
			d, body := events.PackBody(r.Body, r.issue.dictionary)
			bodies[i] = []any{w.Project.ID, r.position, r.keepDay, d, body}
			return nil
		})
	}
	_ = packing.Wait() // packing does not fail
	return w.s.db.InsertFixed(ctx, w.tx, "INSERT INTO event_body (project, filing, keep_day, dictionary, body)", "", bodies)
}

// writeExemplars keeps the first five of a variant that differ in raw form for
// as long as their issue.
func (w *batchTx) writeExemplars(ctx context.Context) error {
	var exemplars [][]any
	grown := map[*variantRow]bool{}
	for _, r := range w.rows {
		if r.issue.status.CountOnly || r.variant.exemplars >= maxExemplars || len(r.variant.forms) >= maxExemplars {
			continue
		}
		form := exemplarForm(r)
		if r.variant.forms[form] {
			continue
		}
		exemplars = append(exemplars,
			[]any{r.variant.ID, form[:], r.ID[:], db.Micros(r.When.Thrown), pipeline.Compress(r.Body)})
		if r.variant.forms == nil {
			r.variant.forms = map[fingerprint.Key]bool{}
		}
		r.variant.forms[form] = true
		grown[r.variant] = true
	}
	if err := db.InsertRows(ctx, w.tx, "INSERT IGNORE INTO exemplar (variant, form, event, thrown, body)", "", exemplars); err != nil {
		return err
	}
	for v := range grown {
		if _, err := w.tx.ExecContext(ctx, "UPDATE variant SET exemplars=(SELECT COUNT(*) FROM exemplar WHERE variant=?), sketched=0 WHERE id=?", v.ID, v.ID); err != nil {
			return err
		}
	}
	return nil
}

const maxExemplars = 5

// exemplarForm distinguishes raw forms of one variant: another release or other
// raw frames.
func exemplarForm(r *row) fingerprint.Key {
	text := r.Release
	for _, x := range r.Event.Exceptions {
		text += "\x00" + x.Stack
		for _, f := range x.Frames {
			text += fmt.Sprintf("\x00%s %s %d %d", f.Function, f.File, f.Line, f.Column)
		}
	}
	return db.NameHash(text)
}

func handled(b *bool) any {
	if b == nil {
		return nil
	}
	return *b
}

func nullUser(it *pipeline.Item) any {
	if !it.HasUser {
		return nil
	}
	return it.User
}
