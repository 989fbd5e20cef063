package ingest

import (
	"context"
	"database/sql"
	"slices"
	"time"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/event"
	"firethorn/internal/core/quality"
	"firethorn/internal/core/session"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sessions"
)

// SessionMessage is one message about a session, ready to be processed.
type SessionMessage struct {
	*session.Message
	Started, Received time.Time // by the service's clock
	User              pipeline.User
}

// heldSession is a session on its way back to its row.
type heldSession struct {
	session.Session
	name                 string
	release, environment int64
	traits               [3]int64      // device, system, browser
	sent                 [3]string     // what the messages of this batch say of them
	before               *sessions.Key // what it counted under; nil: it is new
}

// cell is what a session counts under now.
func (h *heldSession) cell() sessions.Key {
	c := sessions.Key{Hour: db.Micros(h.Started) / 3600_000_000, Release: h.release, Environment: h.environment,
		Outcome: h.Outcome(), Bucket: quality.Bucket(h.Duration.Milliseconds()), Traits: h.traits}
	if h.User != nil {
		c.User, c.HasUser = *h.User, true
	}
	return c
}

// recordTraits records what a message says of the device, its system and the browser.
func (h *heldSession) recordTraits(m *session.Message) {
	for _, a := range attributes.Of(&m.About) {
		if i := slices.Index(sessions.TraitNames[:], a.Name); i >= 0 {
			h.sent[i] = a.Value.String()
		}
	}
}

// writeSessions files messages about sessions: those that report one, and
// those that count many.
func (w *batchTx) writeSessions(ctx context.Context) error {
	if len(w.Sessions) == 0 {
		return nil
	}
	var counted, told []SessionMessage
	for _, m := range w.Sessions {
		if m.Counted != nil {
			counted = append(counted, m)
		} else {
			told = append(told, m)
		}
	}
	if len(counted) > 0 {
		if err := w.writeCounted(ctx, counted); err != nil {
			return err
		}
	}
	if len(told) == 0 {
		return nil
	}
	return w.writeSessionMessages(ctx, told)
}

// writeSessionMessages merges messages into the sessions that they report.
func (w *batchTx) writeSessionMessages(ctx context.Context, messages []SessionMessage) error {
	held := map[[16]byte]*heldSession{}
	for _, m := range messages {
		held[events.SessionHash(m.ID)] = &heldSession{name: m.ID}
	}
	if err := w.loadSessions(ctx, held); err != nil {
		return err
	}
	// What is said again of a session that is not kept any more counts no second
	// time.
	gone := db.Day(w.now) - w.keepDays - projects.GraceDays
	for _, m := range messages {
		if h := held[events.SessionHash(m.ID)]; h == nil || h.before == nil && db.Day(m.Started) < gone {
			delete(held, events.SessionHash(m.ID))
			w.tally.Add(m.Received, inbox.CauseRepeat, "", 1)
			continue
		}
		var user *int64
		if m.User.Set {
			user = &m.User.Hash
		}
		h := held[events.SessionHash(m.ID)]
		h.Add(m.Message, m.Started, m.Received, user)
		h.recordTraits(m.Message)
		w.tally.Add(m.Received, inbox.CauseSession, "", 1)
	}
	if err := w.homes(ctx, held); err != nil {
		return err
	}
	if err := w.internTraits(ctx, held); err != nil {
		return err
	}
	counts := map[sessions.Key]int64{}
	var rows [][]any
	for id, h := range held {
		if h.before != nil {
			counts[*h.before]--
		}
		counts[h.cell()]++
		var user any
		if h.User != nil {
			user = *h.User
		}
		rows = append(rows, []any{w.Project.ID, id[:], h.name, db.Micros(h.Started), h.Duration.Milliseconds(),
			uint8(h.Reported), uint8(h.Outcome()), h.Sequence, db.Micros(h.Received),
			user, h.UserSequence, db.NullID(h.release), h.environment, h.HomeSequence, h.traits[0], h.traits[1],
			h.traits[2]})
	}
	slices.SortFunc(rows, func(a, b []any) int { return slices.Compare(a[1].([]byte), b[1].([]byte)) })
	err := db.InsertRows(ctx, w.tx, "INSERT INTO app_session (project, id, name, started, duration, reported, outcome, sequence, updated, user, user_sequence, app_release, environment, home_sequence, device, os, browser)",
		" ON DUPLICATE KEY UPDATE started=VALUES(started), duration=VALUES(duration), reported=VALUES(reported), outcome=VALUES(outcome), sequence=VALUES(sequence), updated=VALUES(updated), user=VALUES(user),"+
			" user_sequence=VALUES(user_sequence), app_release=VALUES(app_release), environment=VALUES(environment), home_sequence=VALUES(home_sequence), device=VALUES(device), os=VALUES(os), browser=VALUES(browser)", rows)
	if err != nil {
		return err
	}
	active := map[int64]int64{}
	for _, h := range held {
		if h.User != nil {
			active[*h.User] = max(active[*h.User], int64(db.Day(h.Started)))
		}
	}
	if err := w.countActive(ctx, active); err != nil {
		return err
	}
	return sessions.Add(ctx, w.tx, w.Project.ID, counts)
}

// loadSessions reads those of the sessions that are known.
func (w *batchTx) loadSessions(ctx context.Context, held map[[16]byte]*heldSession) error {
	ids := make([]any, 0, len(held))
	for id := range held {
		ids = append(ids, id[:])
	}
	for chunk := range slices.Chunk(ids, db.AskedRows) {
		err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
			var id []byte
			var started, duration, heard int64
			var told, outcome uint8
			var user, release sql.NullInt64
			h := &heldSession{}
			err := db.ScanNames(r,
				db.Into{"id": &id, "name": &h.name, "started": &started, "duration": &duration, "reported": &told,
					"outcome": &outcome, "sequence": &h.Sequence, "updated": &heard, "user": &user,
					"user_sequence": &h.UserSequence, "app_release": &release, "environment": &h.environment,
					"home_sequence": &h.HomeSequence, "device": &h.traits[0], "os": &h.traits[1],
					"browser": &h.traits[2], "release_name": &h.Release, "environment_name": &h.Environment})
			if err != nil {
				return err
			}
			h.HasUser, h.Started, h.Received = true, db.FromMicros(started), db.FromMicros(heard)
			h.Duration = time.Duration(duration) * time.Millisecond
			h.Reported, h.Cut = session.Outcome(told), session.Outcome(outcome) == session.CutOff
			if user.Valid {
				h.User = &user.Int64
			}
			h.release = release.Int64
			before := h.cell()
			h.before = &before
			held[[16]byte(id)] = h
			return nil
		}, "SELECT s.id, s.name, s.started, s.duration, s.reported, s.outcome, s.sequence, s.updated, s.user, s.user_sequence, s.app_release, s.environment, s.home_sequence, s.device, s.os, s.browser, COALESCE(r.name,'') AS release_name, n.name AS environment_name"+
			" FROM app_session s LEFT JOIN app_release r ON r.id=s.app_release JOIN environment n ON n.id=s.environment WHERE s.project=? AND s.id IN ("+db.Marks(len(chunk))+")", append([]any{w.Project.ID}, chunk...)...)
		if err != nil {
			return err
		}
	}
	return nil
}

// homes gives sessions the ids of their releases and environments.
func (w *batchTx) homes(ctx context.Context, held map[[16]byte]*heldSession) error {
	var rels, envs []string
	for _, h := range held {
		if h.Release != "" {
			rels = append(rels, h.Release)
		}
		envs = append(envs, h.Environment)
	}
	known, err := w.intern(ctx, names.Releases, newReleases, rels)
	if err != nil {
		return err
	}
	places, err := w.intern(ctx, names.Environments, newEnvironments, envs)
	if err != nil {
		return err
	}
	for _, h := range held {
		h.release = known[h.Release]
		if h.environment = places[h.Environment]; h.environment == 0 {
			if h.environment, err = w.otherEnvironment(ctx); err != nil {
				return err
			}
		}
	}
	return nil
}

// internTraits gives the ids of what sessions say of device, system and browser; the
// last message counts. Values for which there is no place are not distinguished.
func (w *batchTx) internTraits(ctx context.Context, held map[[16]byte]*heldSession) error {
	var wanted []string
	for _, h := range held {
		for _, v := range h.sent {
			if v != "" {
				wanted = append(wanted, event.TrimText(v, maxTrait))
			}
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	ids, err := w.intern(ctx, names.SessionValues, newSessionValues, wanted)
	if err != nil {
		return err
	}
	for _, h := range held {
		for i, v := range h.sent {
			if id := ids[event.TrimText(v, maxTrait)]; v != "" && id != 0 {
				h.traits[i] = id
			}
		}
	}
	return nil
}

// maxTrait is how much of what a session says of its device is kept, in bytes.
const maxTrait = 100

// cutOffAtOnce is how many sessions are called cut off in one transaction.
const cutOffAtOnce = 1000

// CutOffSessions calls those running sessions of a project cut off that were
// not heard of since a time; more says that some are left.
func (s *Service) CutOffSessions(ctx context.Context, project int64, since time.Time) (more bool, err error) {
	return more, s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		counts := map[sessions.Key]int64{}
		var ids [][]byte
		err := db.Each(ctx, tx, func(r *sql.Rows) error {
			var id []byte
			var started, duration int64
			var user sql.NullInt64
			k := sessions.Key{Outcome: session.Running}
			err := db.ScanNames(r, db.Into{"id": &id, "started": &started, "app_release": &k.Release,
				"environment": &k.Environment, "duration": &duration, "user": &user, "device": &k.Traits[0],
				"os": &k.Traits[1], "browser": &k.Traits[2]})
			if err != nil {
				return err
			}
			ids = append(ids, id)
			k.Hour, k.Bucket, k.User, k.HasUser = started/3600_000_000, quality.Bucket(duration), user.Int64, user.Valid
			counts[k]--
			k.Outcome = session.CutOff
			counts[k]++
			return nil
		}, "SELECT id, started, COALESCE(app_release,0) AS app_release, environment, duration, user, device, os, browser FROM app_session FORCE INDEX (quiet) WHERE outcome=? AND updated<? AND project=? ORDER BY updated LIMIT ?", uint8(session.Running), db.Micros(since), project, cutOffAtOnce)
		if err != nil {
			return err
		}
		for _, id := range ids {
			if _, err := tx.ExecContext(ctx, "UPDATE app_session SET outcome=? WHERE project=? AND id=?",
				uint8(session.CutOff), project, id); err != nil {
				return err
			}
		}
		more = len(ids) == cutOffAtOnce
		return sessions.Add(ctx, tx, project, counts)
	})
}

// QuietSessions lists the projects with running sessions that were not heard
// of since a time.
func (s *Service) QuietSessions(ctx context.Context, since time.Time) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM (SELECT project FROM app_session FORCE INDEX (quiet) WHERE outcome=? AND updated<? ORDER BY updated LIMIT 10000) q", uint8(session.Running), db.Micros(since))
}
