package projects

import (
	"context"
	"database/sql"
	"encoding/hex"
	"errors"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/sight"
)

// Key is an ingest key. Keys are public: they report and do nothing else.
type Key struct {
	ID       int64
	Value    string
	Label    string
	Routes   bool // service.name may name the project
	Created  time.Time
	Until    time.Time // zero: for ever
	Revoked  time.Time // zero while it is not
	LastUsed time.Time // zero: never; at most keyUse old
}

// Good says whether a key may report at a time.
func (k *Key) Good(at time.Time) bool {
	return k.Revoked.IsZero() && (k.Until.IsZero() || at.Before(k.Until))
}

const keyColumns = "k.id, k.value, k.label, k.routes, k.created, k.until, k.revoked, k.last_used"

func (k *Key) fields() (into []any, done func()) {
	var created int64
	var until, revoked, used sql.NullInt64
	return []any{&k.ID, &k.Value, &k.Label, &k.Routes, &created, &until, &revoked, &used}, func() {
		k.Created = db.FromMicros(created)
		for v, at := range map[*sql.NullInt64]*time.Time{&until: &k.Until, &revoked: &k.Revoked, &used: &k.LastUsed} {
			if v.Valid {
				*at = db.FromMicros(v.Int64)
			}
		}
	}
}

func newKey() string { return "in-" + hex.EncodeToString(db.NewSecret(16)) }

// KeyGrant is what an ingest key gives access to.
type KeyGrant struct {
	Key     Key
	Project *Project // with its rules
}

// keyUse is how exactly the last use of a key is known.
const keyUse = 5 * time.Minute

// GrantOfKey finds a good ingest key and its project; problem.Unauthorized when
// there is none.
func (s *Store) GrantOfKey(ctx context.Context, value string) (*KeyGrant, error) {
	g := &KeyGrant{Project: &Project{}}
	project, projectDone := g.Project.fields()
	key, keyDone := g.Key.fields()
	err := s.db.QueryRowContext(ctx, "SELECT "+projectColumns+", "+keyColumns+" FROM ingest_key k JOIN project p ON p.id=k.project WHERE k.value=?", value).Scan(append(project, key...)...)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.Unauthorized,
			"this ingest key is not known; firethorn project keys PROJECT shows a project's keys")
	}
	if err == nil {
		keyDone()
		err = projectDone()
	}
	if err != nil {
		return nil, err
	}
	now := s.db.Now()
	if !g.Key.Good(now) {
		return nil, problem.New(problem.Unauthorized,
			"this ingest key is not good any more; firethorn project keys %s shows those that are", g.Project.Name)
	}
	if now.Sub(g.Key.LastUsed) > keyUse {
		if _, err := s.db.ExecContext(ctx, "UPDATE ingest_key SET last_used=? WHERE id=?", db.Micros(now),
			g.Key.ID); err != nil {
			return nil, err
		}
	}
	return g, s.giveRules(ctx, g.Project)
}

// Keys lists a project's ingest keys, oldest first.
func (s *Store) Keys(ctx context.Context, project int64) ([]Key, error) {
	all, err := s.keys(ctx, " WHERE k.project=?", project)
	return all[project], err
}

// AllKeys are the ingest keys of the projects that a person sees, oldest first.
func (s *Store) AllKeys(ctx context.Context, seen sight.Sight) (map[int64][]Key, error) {
	where, args := seen.Where("k.project")
	return s.keys(ctx, " WHERE "+where, args...)
}

func (s *Store) keys(ctx context.Context, where string, args ...any) (map[int64][]Key, error) {
	all := map[int64][]Key{}
	return all, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var k Key
		var project int64
		into, done := k.fields()
		err := r.Scan(append(into, &project)...)
		done()
		all[project] = append(all[project], k)
		return err
	}, "SELECT "+keyColumns+", k.project FROM ingest_key k"+where+" ORDER BY k.id", args...)
}

// AddKey makes another ingest key.
func (s *Store) AddKey(ctx context.Context, project int64, label string, routes bool) (*Key, error) {
	k := &Key{Value: newKey(), Label: label, Routes: routes, Created: s.db.Now().UTC()}
	return k, s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := s.insertKey(ctx, tx, project, k); err != nil {
			return err
		}
		return s.recordKey(ctx, tx, project, "key created", k, nil)
	})
}

// recordKey writes into the audit what was done about an ingest key. The key itself
// is named by its beginning.
func (s *Store) recordKey(ctx context.Context, tx *sql.Tx, project int64, action string, k *Key, after any) error {
	return Record(ctx, tx, s.db.Now(), project,
		audit.Act{Action: action, Target: k.Value[:min(len(k.Value), 8)] + "… " + k.Label,
			After: after})
}

// Record writes an action on a project into the audit log; without a target, on
// the project itself.
func Record(ctx context.Context, tx *sql.Tx, now time.Time, project int64, a audit.Act) error {
	if err := tx.QueryRowContext(ctx, "SELECT name FROM project WHERE id=?", project).Scan(&a.Project); err != nil {
		return err
	}
	if a.Target == "" {
		a.Target = a.Project
	}
	return audit.Record(ctx, tx, now, a)
}

func (s *Store) insertKey(ctx context.Context, q db.Querier, project int64, k *Key) error {
	res, err := q.ExecContext(ctx, "INSERT INTO ingest_key (project, value, label, routes, created) VALUES (?,?,?,?,?)", project, k.Value, k.Label, k.Routes, db.Micros(k.Created))
	if err != nil {
		return err
	}
	k.ID, err = res.LastInsertId()
	return err
}

// RotateKey makes a key that takes the place of another, which stays good for
// as long as they are to overlap.
func (s *Store) RotateKey(ctx context.Context, project int64, value string, overlap time.Duration) (*Key, error) {
	now := s.db.Now().UTC()
	k := &Key{Value: newKey(), Created: now}
	return k, s.db.InTx(ctx, func(tx *sql.Tx) error {
		old, err := lockKey(ctx, tx, project, value)
		if err != nil {
			return err
		}
		if !old.Good(now) {
			return problem.New(problem.Conflict, "this ingest key is not good any more; make another with --add")
		}
		k.Label, k.Routes = old.Label, old.Routes
		if _, err := tx.ExecContext(ctx, "UPDATE ingest_key SET until=? WHERE id=?", db.Micros(now.Add(overlap)),
			old.ID); err != nil {
			return err
		}
		if err := s.insertKey(ctx, tx, project, k); err != nil {
			return err
		}
		return s.recordKey(ctx, tx, project, "key rotated", old, map[string]string{"good_for": overlap.String()})
	})
}

// RevokeKey makes a key good for nothing, at once.
func (s *Store) RevokeKey(ctx context.Context, project int64, value string) (*Key, error) {
	var k *Key
	err := s.db.InTx(ctx, func(tx *sql.Tx) (err error) {
		if k, err = lockKey(ctx, tx, project, value); err != nil {
			return err
		}
		if k.Revoked.IsZero() {
			k.Revoked = s.db.Now().UTC()
		}
		if _, err = tx.ExecContext(ctx, "UPDATE ingest_key SET revoked=? WHERE id=?", db.Micros(k.Revoked),
			k.ID); err != nil {
			return err
		}
		return s.recordKey(ctx, tx, project, "key revoked", k, nil)
	})
	return k, err
}

func lockKey(ctx context.Context, tx *sql.Tx, project int64, value string) (*Key, error) {
	k := &Key{}
	into, done := k.fields()
	err := tx.QueryRowContext(ctx, "SELECT "+keyColumns+" FROM ingest_key k WHERE k.project=? AND k.value=? FOR UPDATE", project, value).Scan(into...)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "the project has no such ingest key")
	}
	done()
	return k, err
}
