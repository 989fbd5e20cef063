package ingest

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/feedback"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/names"
)

// Feedback is feedback ready to be processed.
type Feedback struct {
	*feedback.Feedback
	At, Received time.Time // by the service's clock
	User         pipeline.User
}

// writeFeedback files what people said, and ties it to its event where that is
// processed already. A repeat of the same feedback is dropped.
func (w *batchTx) writeFeedback(ctx context.Context) error {
	if len(w.Feedback) == 0 {
		return nil
	}
	var rows [][]any
	for _, f := range w.Feedback {
		n, err := w.caps.room(ctx, newFeedback, 1)
		if err != nil {
			return err
		}
		if n == 0 {
			w.tally.Add(f.Received, inbox.CauseCapped, newFeedback.what, 1)
			continue
		}
		release, environment, err := w.feedbackHome(ctx, f)
		if err != nil {
			return err
		}
		var event, variant, user any
		waiting := false
		if f.Event != uuid.Nil {
			event, waiting = f.Event[:], true
			id, err := w.variantOfEvent(ctx, f.Event)
			if err != nil {
				return err
			}
			if id != 0 {
				variant, waiting = id, false
			}
		}
		if f.User.Set {
			user = f.User.Hash
		}
		rows = append(rows, []any{w.Project.ID, f.ID[:], event, variant, waiting, db.Micros(f.At),
			db.Micros(f.Received), db.Day(f.Received) + w.keepDays, user, db.NullID(release), environment, f.Text,
			f.Cut, f.Name, f.Email})
		w.tally.Add(f.Received, inbox.CauseFeedback, "", 1)
	}
	return db.InsertRows(ctx, w.tx, "INSERT INTO feedback (project, uuid, event, variant, waiting, written, received, keep_day, user, app_release, environment, text, cut, name, email)", " ON DUPLICATE KEY UPDATE project=VALUES(project)", rows)
}

func (w *batchTx) feedbackHome(ctx context.Context, f *Feedback) (release, environment int64, err error) {
	if name := f.About.Release(); name != "" {
		known, err := w.intern(ctx, names.Releases, newReleases, []string{name})
		if err != nil {
			return 0, 0, err
		}
		release = known[name]
	}
	name := f.About.Environment()
	places, err := w.intern(ctx, names.Environments, newEnvironments, []string{name})
	if err != nil {
		return 0, 0, err
	}
	if environment = places[name]; environment == 0 {
		environment, err = w.otherEnvironment(ctx)
	}
	return release, environment, err
}

// variantOfEvent is the variant of a processed event, 0 when it is not there.
func (w *batchTx) variantOfEvent(ctx context.Context, id uuid.UUID) (variant int64, err error) {
	err = w.tx.QueryRowContext(ctx, "SELECT variant FROM event WHERE project=? AND id=? LIMIT 1", w.Project.ID, id[:]).Scan(&variant)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return variant, err
}

// meetFeedback ties feedback that waited for events of this batch to them.
func (w *batchTx) meetFeedback(ctx context.Context) error {
	if !w.feedbackWaits {
		return nil
	}
	for chunk := range slices.Chunk(w.rows, db.AskedRows) {
		args := []any{w.Project.ID}
		variants := map[uuid.UUID]int64{}
		for _, r := range chunk {
			args = append(args, r.ID[:])
			variants[r.ID] = r.variant.ID
		}
		type met struct {
			id    int64
			event uuid.UUID
		}
		var list []met
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var m met
			var event []byte
			err := r.Scan(&m.id, &event)
			if err == nil {
				m.event = uuid.UUID(event)
				list = append(list, m)
			}
			return err
		}, "SELECT id, event FROM feedback FORCE INDEX (of_event) WHERE project=? AND event IN ("+db.Marks(len(chunk))+") AND waiting=1", args...)
		if err != nil {
			return err
		}
		for _, m := range list {
			if _, err := w.tx.ExecContext(ctx, "UPDATE feedback SET variant=?, waiting=0 WHERE id=?", variants[m.event],
				m.id); err != nil {
				return err
			}
		}
	}
	return nil
}
