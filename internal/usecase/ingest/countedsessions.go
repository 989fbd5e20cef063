package ingest

import (
	"cmp"
	"context"
	"database/sql"
	"slices"
	"strings"

	"firethorn/internal/core/session"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sessions"
)

// countedKey names a message that counts sessions.
type countedKey struct {
	id       [16]byte
	sequence uint32
}

// writeCounted adds the sessions that messages count by the minute. A message
// that was there before counts no second time.
func (w *batchTx) writeCounted(ctx context.Context, messages []SessionMessage) error {
	fresh := map[countedKey]SessionMessage{}
	gone := db.Day(w.now) - w.keepDays - projects.GraceDays
	known, err := w.knownCounted(ctx, messages)
	if err != nil {
		return err
	}
	for _, m := range messages {
		k := countedKey{events.SessionHash(m.ID), m.Sequence}
		if _, again := fresh[k]; again || known[k] || db.Day(m.Started) < gone {
			w.tally.Add(m.Received, inbox.CauseRepeat, "", 1)
			continue
		}
		fresh[k] = m
		w.tally.Add(m.Received, inbox.CauseSession, "", 1)
	}
	// Of a session that is held only its home is wanted: one for each release and environment.
	home := func(m SessionMessage) [16]byte {
		return db.NameHash(m.About.Release() + "\x00" + m.About.Environment())
	}
	held := map[[16]byte]*heldSession{}
	for _, m := range fresh {
		h := &heldSession{}
		h.Release, h.Environment = m.About.Release(), m.About.Environment()
		held[home(m)] = h
	}
	if err := w.homes(ctx, held); err != nil {
		return err
	}
	counts := map[sessions.Key]int64{}
	var rows [][]any
	for k, m := range fresh {
		h := held[home(m)]
		for outcome, n := range map[session.Outcome]uint32{session.Clean: m.Counted.Clean,
			session.Faulty: m.Counted.Faulty, session.Crashed: m.Counted.Crashed} {
			counts[sessions.Key{Hour: db.Micros(m.Started) / 3600_000_000, Release: h.release,
				Environment: h.environment, Outcome: outcome, Bucket: -1}] += int64(n)
		}
		rows = append(rows, []any{
			w.Project.ID, k.id[:], k.sequence, db.Micros(m.Started), db.NullID(h.release), h.environment,
			m.Counted.Clean, m.Counted.Faulty, m.Counted.Crashed, m.Counted.P50, m.Counted.P95,
		})
	}
	slices.SortFunc(rows, func(a, b []any) int {
		return cmp.Or(slices.Compare(a[1].([]byte), b[1].([]byte)), cmp.Compare(a[2].(uint32), b[2].(uint32)))
	})
	err = db.InsertRows(ctx, w.tx, "INSERT INTO session_minute (project, id, sequence, minute, app_release, environment, clean, faulty, crashed, p50, p95)", "", rows)
	if err != nil {
		return err
	}
	return sessions.Add(ctx, w.tx, w.Project.ID, counts)
}

// knownCounted finds those of the messages that were processed before.
func (w *batchTx) knownCounted(ctx context.Context, messages []SessionMessage) (map[countedKey]bool, error) {
	known := map[countedKey]bool{}
	for chunk := range slices.Chunk(messages, db.AskedRows) {
		args := []any{w.Project.ID}
		for _, m := range chunk {
			id := events.SessionHash(m.ID)
			args = append(args, id[:], m.Sequence)
		}
		pairs := strings.TrimSuffix(strings.Repeat("(?,?),", len(chunk)), ",")
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id []byte
			var k countedKey
			if err := r.Scan(&id, &k.sequence); err != nil {
				return err
			}
			k.id = [16]byte(id)
			known[k] = true
			return nil
		}, "SELECT id, sequence FROM session_minute WHERE project=? AND (id, sequence) IN ("+pairs+")", args...)
		if err != nil {
			return nil, err
		}
	}
	return known, nil
}
