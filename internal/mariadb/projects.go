package mariadb

import (
	"context"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"regexp"
	"time"

	"github.com/go-sql-driver/mysql"

	"firethorn/internal/core/fault"
	"firethorn/internal/pipeline"
)

// Project is one deployable application that reports.
type Project struct {
	pipeline.Project
	Created time.Time
	Origins []string // web origins that may report; "*" is any
}

// Key is an ingest key. Keys are public: they report and do nothing else.
type Key struct {
	ID      int64
	Value   string
	Label   string
	Created time.Time
	Revoked time.Time // zero while it is good
}

// projectName is what a project may be called: it stands in issue names,
// paths and configuration files.
var projectName = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,62}$`)

// CreateProject makes a project with its first ingest key.
func (s *Store) CreateProject(ctx context.Context, name string, keepDays int) (*Project, *Key, error) {
	if !projectName.MatchString(name) {
		return nil, nil, fault.New(fault.BadInput, "a project's name is 1 to 63 lower-case letters, digits and dashes, and begins with a letter or digit; %q does not", name)
	}
	k := &Key{Value: newKey(), Label: "first key", Created: s.now().UTC()}
	var id int64
	err := s.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO project (name, created, keep_days, user_secret) VALUES (?,?,?,?)", name, micros(k.Created), keepDays, newSecret(32))
		if duplicate(err) {
			return fault.New(fault.Conflict, "there is a project %s already", name)
		}
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO project_counter (project) VALUES (?)", id); err != nil {
			return err
		}
		res, err = tx.ExecContext(ctx, "INSERT INTO ingest_key (project, value, label, created) VALUES (?,?,?,?)", id, k.Value, k.Label, micros(k.Created))
		if err != nil {
			return err
		}
		k.ID, err = res.LastInsertId()
		return err
	})
	if err != nil {
		return nil, nil, err
	}
	if err := s.EnsurePartitions(ctx); err != nil {
		return nil, nil, err
	}
	p, err := s.Project(ctx, name)
	return p, k, err
}

func newKey() string { return "in-" + hex.EncodeToString(newSecret(16)) }

func duplicate(err error) bool {
	e, ok := errors.AsType[*mysql.MySQLError](err)
	return ok && e.Number == 1062
}

const projectColumns = "p.id, p.name, p.keep_days, p.user_secret, p.created, p.origins"

func scanProject(r interface{ Scan(...any) error }) (*Project, error) {
	var p Project
	var created int64
	var origins string
	if err := r.Scan(&p.ID, &p.Name, &p.KeepDays, &p.UserSecret, &created, &origins); err != nil {
		return nil, err
	}
	p.Created = fromMicros(created)
	return &p, json.Unmarshal([]byte(origins), &p.Origins)
}

// Project finds a project by its name or a former one.
func (s *Store) Project(ctx context.Context, name string) (*Project, error) {
	p, err := scanProject(s.db.QueryRowContext(ctx, "SELECT "+projectColumns+" FROM project p WHERE p.name=? OR p.id=(SELECT project FROM project_former_name WHERE name=?)", name, name))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.NotFound, "there is no project %q; firethorn project list shows them", name)
	}
	return p, err
}

// ProjectByID finds a project.
func (s *Store) ProjectByID(ctx context.Context, id int64) (*Project, error) {
	return scanProject(s.db.QueryRowContext(ctx, "SELECT "+projectColumns+" FROM project p WHERE p.id=?", id))
}

// Projects lists all, by name.
func (s *Store) Projects(ctx context.Context) ([]*Project, error) {
	var out []*Project
	err := each(ctx, s.db, func(r *sql.Rows) error {
		p, err := scanProject(r)
		out = append(out, p)
		return err
	}, "SELECT "+projectColumns+" FROM project p ORDER BY p.name")
	return out, err
}

// ProjectByKey finds the project of a good ingest key; fault.Unauthorized when
// there is none.
func (s *Store) ProjectByKey(ctx context.Context, key string) (*Project, error) {
	p, err := scanProject(s.db.QueryRowContext(ctx, "SELECT "+projectColumns+" FROM ingest_key k JOIN project p ON p.id=k.project WHERE k.value=? AND k.revoked IS NULL", key))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.Unauthorized, "this ingest key is not known; firethorn project keys PROJECT shows a project's keys")
	}
	return p, err
}

// Keys lists a project's ingest keys, oldest first.
func (s *Store) Keys(ctx context.Context, project int64) ([]Key, error) {
	var out []Key
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var k Key
		var created int64
		var revoked sql.NullInt64
		if err := r.Scan(&k.ID, &k.Value, &k.Label, &created, &revoked); err != nil {
			return err
		}
		k.Created = fromMicros(created)
		if revoked.Valid {
			k.Revoked = fromMicros(revoked.Int64)
		}
		out = append(out, k)
		return nil
	}, "SELECT id, value, label, created, revoked FROM ingest_key WHERE project=? ORDER BY id", project)
	return out, err
}

// AddKey makes another ingest key.
func (s *Store) AddKey(ctx context.Context, project int64, label string) (*Key, error) {
	k := &Key{Value: newKey(), Label: label, Created: s.now().UTC()}
	res, err := s.db.ExecContext(ctx, "INSERT INTO ingest_key (project, value, label, created) VALUES (?,?,?,?)", project, k.Value, label, micros(k.Created))
	if err != nil {
		return nil, err
	}
	k.ID, err = res.LastInsertId()
	return k, err
}

// Totals are a project's sums, for lists of projects.
type Totals struct {
	Open, Issues, Events int64
	LastEvent            time.Time
}

// Totals sums a project's issues.
func (s *Store) Totals(ctx context.Context, project int64) (Totals, error) {
	var t Totals
	var last sql.NullInt64
	err := s.db.QueryRowContext(ctx, "SELECT COUNT(*), COALESCE(SUM(state IN ('new','accepted','regressed')),0), COALESCE(SUM(events),0), MAX(last_seen) FROM issue_list WHERE project=?", project).Scan(&t.Issues, &t.Open, &t.Events, &last)
	if last.Valid {
		t.LastEvent = fromMicros(last.Int64)
	}
	return t, err
}

// Changes gives each project's change number: it grows whenever something a
// reader can see has changed.
func (s *Store) Changes(ctx context.Context) (map[int64]int64, error) {
	out := map[int64]int64{}
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var id, n int64
		if err := r.Scan(&id, &n); err != nil {
			return err
		}
		out[id] = n
		return nil
	}, "SELECT project, changed FROM project_counter")
	return out, err
}
