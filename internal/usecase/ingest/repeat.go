package ingest

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/store/inbox"
)

type idDay struct {
	id  uuid.UUID
	day int
}

// dropRepeats takes out events that are processed already or stand twice here. An
// event is looked for under every class of retention that it may have been
// processed under, and among those whose time could not be used.
func (w *batchTx) dropRepeats(ctx context.Context) error {
	if len(w.rows) == 0 {
		return nil
	}
	byDay := map[int][]any{}
	for _, r := range w.rows {
		for _, d := range w.daysOf(r) {
			byDay[d] = append(byDay[d], bytes.Clone(r.ID[:]))
		}
	}
	stored := map[idDay]bool{}
	for day, ids := range byDay {
		for chunk := range slices.Chunk(ids, db.AskedRows) {
			args := append([]any{w.Project.ID, day}, chunk...)
			err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
				var id []byte
				if err := r.Scan(&id); err != nil {
					return err
				}
				stored[idDay{uuid.UUID(id), day}] = true
				return nil
			}, "SELECT id FROM event WHERE project=? AND keep_day=? AND id IN ("+db.Marks(len(chunk))+")", args...)
			if err != nil {
				return err
			}
		}
	}
	odd, err := w.oddStored(ctx)
	if err != nil {
		return err
	}
	dropped, err := w.droppedBefore(ctx)
	if err != nil {
		return err
	}
	kept := w.rows[:0]
	for _, r := range w.rows {
		was := dropped[r.ID] || odd[oddKey{r.ID, r.sentMicros()}]
		for _, d := range w.daysOf(r) {
			was = was || stored[idDay{r.ID, d}]
		}
		if was {
			w.done.Repeats++
			w.tally.Add(r.Received, inbox.CauseRepeat, "", 1)
			continue
		}
		stored[idDay{r.ID, r.keepDay}] = true
		if r.odd {
			odd[oddKey{r.ID, r.sentMicros()}] = true
		}
		kept = append(kept, r)
	}
	w.rows = kept
	w.done.Events = len(kept)
	return nil
}

// daysOf lists the keep_days under which a row may have been processed before.
func (w *batchTx) daysOf(r *row) []int {
	out := []int{r.keepDay}
	if r.When.Sent.IsZero() {
		return out
	}
	for _, class := range w.classes {
		if d := db.Day(r.When.Sent) + class; d != r.keepDay && d >= 0 && d <= maxDay {
			out = append(out, d)
		}
	}
	return out
}

// maxDay is the last day a SMALLINT UNSIGNED holds: in the year 2149.
const maxDay = 65535

type oddKey struct {
	id   uuid.UUID
	sent int64
}

// oddStored finds which rows were processed although their time could not be used.
// A time may be odd at one moment and not at another, so all are asked for
// where the project has any.
func (w *batchTx) oddStored(ctx context.Context) (map[oddKey]bool, error) {
	out := map[oddKey]bool{}
	var one int
	err := w.tx.QueryRowContext(ctx, "SELECT 1 FROM odd_event WHERE project=? LIMIT 1", w.Project.ID).Scan(&one)
	if errors.Is(err, sql.ErrNoRows) {
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	for chunk := range slices.Chunk(w.rows, db.AskedRows) {
		args := []any{w.Project.ID}
		for _, r := range chunk {
			args = append(args, bytes.Clone(r.ID[:]))
		}
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id []byte
			var k oddKey
			if err := r.Scan(&id, &k.sent); err != nil {
				return err
			}
			k.id = uuid.UUID(id)
			out[k] = true
			return nil
		}, "SELECT id, sent FROM odd_event WHERE project=? AND id IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}
