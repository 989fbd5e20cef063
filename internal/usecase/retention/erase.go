package retention

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
	"firethorn/internal/store/sessions"
)

// Erasure is a user that is to be forgotten, or was.
type Erasure struct {
	ID, Events int64
	Done       bool
}

// Erase asks for a user of a project to be forgotten: bodies, exemplars and
// dictionaries that hold them go, and a fresh random number takes the place of
// the user in rows and pairs, so that counts stay true. It is done in the
// background, once all that was received before is processed.
func (s *Service) Erase(ctx context.Context, p *projects.Project, identity, actor string) (*Erasure, error) {
	if identity == "" {
		return nil, problem.New(problem.BadInput, "which user? Give the identity that events carry, for example the user.id")
	}
	user := pipeline.UserHash(p.UserSecret, identity)
	var raw [8]byte
	rand.Read(raw[:])
	var id int64
	err := s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO erasure (project, user, replacement, requested, actor) VALUES (?,?,?,?,?)", p.ID, user, int64(binary.BigEndian.Uint64(raw[:])), db.Micros(s.db.Now()), actor)
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		if err := eraseSearches(ctx, tx, p.ID, identity); err != nil {
			return err
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "user erased", Project: p.Name,
			Target: fmt.Sprintf("erasure %d", id)}) // whom it was about is what should be forgotten
	})
	return &Erasure{ID: id}, err
}

// ErasureState says how far an erasure is.
func (s *Service) ErasureState(ctx context.Context, project, id int64) (*Erasure, error) {
	e := &Erasure{ID: id}
	err := s.db.QueryRowContext(ctx, "SELECT events, done IS NOT NULL FROM erasure WHERE project=? AND id=?", project, id).Scan(&e.Events, &e.Done)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "there is no erasure %d", id)
	}
	return e, err
}

// Erasing lists the projects with users to be forgotten.
func (s *Service) Erasing(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM erasure WHERE done IS NULL")
}

// eraseChunk is how many events are changed in one transaction.
const eraseChunk = 500

// eraser forgets one user.
type eraser struct {
	s                 *Service
	p                 *projects.Project
	id                int64
	user, replacement int64
}

// EraseNext does the oldest erasure of a project. Ended in the middle it is
// done again from the start, with the same replacement.
func (s *Service) EraseNext(ctx context.Context, project int64) error {
	e := &eraser{s: s}
	var requested int64
	err := s.db.QueryRowContext(ctx, "SELECT id, user, replacement, requested FROM erasure WHERE project=? AND done IS NULL ORDER BY id LIMIT 1", project).Scan(&e.id, &e.user, &e.replacement, &requested)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	var waiting int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM inbox WHERE project=? AND received<=?", project, requested).Scan(&waiting); err != nil || waiting > 0 {
		return err
	}
	if e.p, err = s.projects.ProjectByID(ctx, project); err != nil {
		return err
	}
	for _, step := range []func(context.Context) error{
		e.events, e.exemplars, e.dictionaries, e.failedEvents, e.searchTexts, e.pairs,
	} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	s.identities.Forget()
	_, err = s.db.ExecContext(ctx, "UPDATE erasure SET done=?, user=NULL WHERE id=?", db.Micros(s.db.Now()), e.id)
	return err
}

func (e *eraser) variants(ctx context.Context, q db.Querier) ([]int64, error) {
	return db.Numbers(ctx, q, "SELECT DISTINCT u.variant FROM issue_user u JOIN issue i ON i.id=u.issue WHERE u.user=? AND i.project=?", e.user, e.p.ID)
}

// of says whether a packed body was sent by the user.
func (e *eraser) of(raw []byte) bool {
	b, err := pipeline.UnpackBody(raw)
	return err != nil || e.sent(b.Event, b.Resource) // what cannot be read is not kept
}

func (e *eraser) sent(text, resource json.RawMessage) bool {
	ev, err := event.Decode(text, event.DefaultLimits)
	if err != nil {
		return true
	}
	if _, who := ev.Identity(); who != "" && pipeline.UserHash(e.p.UserSecret, who) == e.user {
		return true
	}
	var base event.Attributes
	if len(resource) > 0 && json.Unmarshal(resource, &base) == nil {
		shared := &event.Event{Resource: base}
		if _, who := shared.Identity(); who != "" && pipeline.UserHash(e.p.UserSecret, who) == e.user {
			return true
		}
	}
	return false
}

// exemplars lets those go that the user sent, also of events long dropped.
func (e *eraser) exemplars(ctx context.Context) error {
	list, err := e.variants(ctx, e.s.db)
	if err != nil {
		return err
	}
	for _, v := range list {
		err := e.s.db.InTxOf(ctx, e.s.db.Slow, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, e.p.ID); err != nil {
				return err
			}
			var gone [][]byte
			err := db.Each(ctx, tx, func(r *sql.Rows) error {
				var form, packed []byte
				if err := r.Scan(&form, &packed); err != nil {
					return err
				}
				if raw, err := pipeline.Decompress(packed); err != nil || e.of(raw) {
					gone = append(gone, form)
				}
				return nil
			}, "SELECT form, body FROM exemplar WHERE variant=?", v)
			if err != nil || len(gone) == 0 {
				return err
			}
			for _, form := range gone {
				if err := events.DropExemplar(ctx, tx, v, form); err != nil {
					return err
				}
			}
			_, err = tx.ExecContext(ctx, "UPDATE variant SET exemplars=exemplars-?, sketched=0 WHERE id=?", len(gone), v)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// dictionaries lets those go that were made of a body of the user, after the
// bodies that need them have been written without.
func (e *eraser) dictionaries(ctx context.Context) error {
	ids, err := db.Numbers(ctx, e.s.db, "SELECT id FROM dictionary WHERE project=? AND user=?", e.p.ID, e.user)
	if err != nil {
		return err
	}
	for _, id := range ids {
		err := e.s.db.InTxOf(ctx, e.s.db.Slow, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, e.p.ID); err != nil {
				return err
			}
			d, err := e.s.events.DictionaryByID(ctx, tx, id)
			if err != nil {
				return err
			}
			if err := e.rewrite(ctx, tx, d, "event_body", "project, filing, keep_day"); err != nil {
				return err
			}
			if err := e.rewrite(ctx, tx, d, "newest_body", "project, filing, variant"); err != nil {
				return err
			}
			_, err = tx.ExecContext(ctx, "DELETE FROM dictionary WHERE id=?", id)
			return err
		})
		if err != nil {
			return err
		}
	}
	e.s.events.ForgetDictionaries()
	return nil
}

// rewrite writes the bodies of a table that name a dictionary without it.
func (e *eraser) rewrite(ctx context.Context, tx *sql.Tx, d *events.Dictionary, table, key string) error {
	type found struct {
		key  [3]int64
		body []byte
	}
	var list []found
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var f found
		err := r.Scan(&f.key[0], &f.key[1], &f.key[2], &f.body)
		list = append(list, f)
		return err
	}, "SELECT "+key+", body FROM "+table+" WHERE project=? AND dictionary=?", e.p.ID, d.ID)
	if err != nil {
		return err
	}
	for _, f := range list {
		raw, err := d.Decode(f.body)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE "+table+" SET dictionary=NULL, body=? WHERE ("+key+")=(?,?,?)",
			pipeline.Compress(raw), f.key[0], f.key[1], f.key[2]); err != nil {
			return err
		}
	}
	return nil
}

// failedEvents deletes the user's failed events.
func (e *eraser) failedEvents(ctx context.Context) error {
	list, err := e.s.inbox.FailedEvents(ctx, e.p.ID, 100_000)
	if err != nil {
		return err
	}
	for _, a := range list {
		batches, err := pipeline.Unpack(a.Packed, a.Received)
		if err == nil && !slices.ContainsFunc(batches, func(b *pipeline.Batch) bool {
			return slices.ContainsFunc(b.Events, func(raw json.RawMessage) bool { return e.sent(raw, b.Resource) })
		}) {
			continue
		}
		err = e.s.db.InTx(ctx, func(tx *sql.Tx) error { return e.s.inbox.DropFailed(ctx, tx, a.ID, "erased") })
		if f, ok := errors.AsType[*problem.Error](err); err != nil && (!ok || f.Code != problem.NotFound) {
			return err
		}
	}
	return nil
}

// pairs puts the replacement in the user's place; last, since the pairs say
// where to look.
func (e *eraser) pairs(ctx context.Context) error {
	return e.s.db.InTxOf(ctx, e.s.db.Slow, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, e.p.ID); err != nil {
			return err
		}
		for n := eraseChunk; n == eraseChunk; { // what was processed since the rest was done
			var err error
			if n, err = e.eventChunk(ctx, tx); err != nil {
				return err
			}
		}
		// Done again after it was cut off, the replacement is there already.
		if _, err := tx.ExecContext(ctx, "INSERT INTO active_user (project, user, last_day) SELECT project, ?, last_day FROM active_user a WHERE a.project=? AND a.user=? ON DUPLICATE KEY UPDATE last_day=GREATEST(active_user.last_day, VALUES(last_day))", e.replacement, e.p.ID, e.user); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM active_user WHERE project=? AND user=?", e.p.ID,
			e.user); err != nil {
			return err
		}
		if err := sessions.MoveUser(ctx, tx, e.p.ID, e.user, e.replacement); err != nil {
			return err
		}
		if err := alerts.MoveUser(ctx, tx, e.p.ID, e.user, e.replacement); err != nil {
			return err
		}
		if err := segments.ForgetUser(ctx, tx, e.p.ID, e.user, e.replacement); err != nil {
			return err
		}
		issues, err := db.Numbers(ctx, tx, "SELECT DISTINCT u.issue FROM issue_user u JOIN issue i ON i.id=u.issue WHERE u.user=? AND i.project=?", e.user, e.p.ID)
		if err != nil {
			return err
		}
		for _, id := range issues {
			if err := deliveries.ForgetEvents(ctx, tx, id); err != nil {
				return err
			}
		}
		for _, table := range []string{"issue_user_day", "issue_user"} {
			for _, id := range issues {
				if _, err := tx.ExecContext(ctx, "UPDATE "+table+" SET user=? WHERE issue=? AND user=?", e.replacement,
					id, e.user); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
