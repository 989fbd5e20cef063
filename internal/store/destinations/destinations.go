// Package destinations keeps destinations: their addresses, their secrets, and whether they answer.
package destinations

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
)

// Kinds are the kinds of destinations.
var Kinds = []string{"webhook", "mail", "chat", "pager", Tickets}

// Tickets is the kind of a tracker of tickets.
const Tickets = "tickets"

// Settings are what only some kinds have.
type Settings struct {
	// From, To, User and StartTLS are of mail: its URL is smtp://host:port, or smtps://host:port
	// for TLS from the beginning. Without To it serves people, and rules cannot name it.
	From string   `json:"from,omitempty"`
	To   []string `json:"to,omitempty"`
	User string   `json:"user,omitempty"` // signs in with the secret as its password
	// Insecure allows mail without TLS: only where AllowInside names the server.
	Insecure bool   `json:"insecure,omitempty"`
	Template string `json:"template,omitempty"` // of chat: JSON with {{text}} in it
	Receiver string `json:"receiver,omitempty"` // of pager: a label that routes by
	// Description says how a tracker is used; its webhooks are signed with HookSecret.
	Description string `json:"description,omitempty"`
	HookSecret  string `json:"hook_secret,omitempty"`
}

// Destination is where messages go.
type Destination struct {
	ID          int64
	Name, Kind  string
	URL, Secret string
	Settings
	Projects      []string // by name; nil: all
	AllowInside   string   // host:port inside the network that it may reach; "": none
	Created       time.Time
	Maker         accounts.Actor
	FailingSince  time.Time // zero: the last try succeeded
	FailedTries   int64
	Paused, Probe time.Time // zero: it is not paused
}

// Lease is the lease under which one process at a time works on a destination. So messages
// keep their order, and what is read of a tracker and written to it never overlaps.
func Lease(id int64) string { return fmt.Sprintf("destination-%d", id) }

// Serves says whether a project may use the destination.
func (d *Destination) Serves(project string) bool {
	return d.Projects == nil || slices.Contains(d.Projects, project)
}

// ServesPeople says whether it sends mail to people, in the way each of them chose. Rules
// cannot name such a destination.
func (d *Destination) ServesPeople() bool { return d.Kind == "mail" && len(d.To) == 0 }

// nameForm is what a destination may be called: rules name it.
var nameForm = regexp.MustCompile(`^[\pL\pN][\pL\pN _.-]{0,59}$`)

// CheckName gives the problem of a name.
func CheckName(name string) error {
	if !nameForm.MatchString(name) || slices.Contains(rules.Reserved, name) {
		return problem.New(
			problem.BadInput,
			"a destination's name is 1 to 60 letters, digits, spaces, dots, dashes and underscores, begins with a letter or digit, and is not owner, watchers or members; %.80q is not",
			name,
		)
	}
	return nil
}

const columns = "id, name, kind, url, secret, settings, projects, allow_inside, created, maker, maker_name, failing_since, failed_tries, paused, probe"

func scan(r *sql.Rows) (*Destination, error) {
	var d Destination
	var settings string
	var projects sql.NullString
	var created int64
	var failing, paused, probe sql.NullInt64
	if err := db.ScanNames(
		r,
		db.Into{
			"id":            &d.ID,
			"name":          &d.Name,
			"kind":          &d.Kind,
			"url":           &d.URL,
			"secret":        &d.Secret,
			"settings":      &settings,
			"projects":      &projects,
			"allow_inside":  &d.AllowInside,
			"created":       &created,
			"maker":         &d.Maker.ID,
			"maker_name":    &d.Maker.Name,
			"failing_since": &failing,
			"failed_tries":  &d.FailedTries,
			"paused":        &paused,
			"probe":         &probe,
		},
	); err != nil {
		return nil, err
	}
	d.Created = db.FromMicros(created)
	for from, to := range map[*sql.NullInt64]*time.Time{&failing: &d.FailingSince,
		&paused: &d.Paused, &probe: &d.Probe} {
		if from.Valid {
			*to = db.FromMicros(from.Int64)
		}
	}
	err := json.Unmarshal([]byte(settings), &d.Settings)
	if err == nil && projects.Valid {
		err = json.Unmarshal([]byte(projects.String), &d.Projects)
	}
	return &d, err
}

// List lists all destinations by name.
func List(ctx context.Context, q db.Querier) (list []*Destination, err error) {
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		d, err := scan(r)
		list = append(list, d)
		return err
	}, "SELECT "+columns+" FROM destination WHERE removed IS NULL ORDER BY name")
}

// Named is the destination of a name.
func Named(ctx context.Context, q db.Querier, name string) (*Destination, error) {
	d, err := db.First(ctx, q, scan, "SELECT "+columns+" FROM destination WHERE name=? AND removed IS NULL", name)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(
			problem.NotFound,
			"there is no destination %.80q; firethorn destination list shows those there are",
			name,
		)
	}
	return d, err
}

// ByID is a destination, or nil when it was removed.
func ByID(ctx context.Context, q db.Querier, id int64) (*Destination, error) {
	d, err := db.First(ctx, q, scan, "SELECT "+columns+" FROM destination WHERE id=? AND removed IS NULL", id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return d, err
}

// written are the columns that a person decides about.
func (d *Destination) written() ([]any, error) {
	settings, err := json.Marshal(d.Settings)
	if err != nil {
		return nil, err
	}
	var projects any
	if d.Projects != nil {
		raw, err := json.Marshal(d.Projects)
		if err != nil {
			return nil, err
		}
		projects = string(raw)
	}
	return []any{d.Name, d.Kind, d.URL, d.Secret, string(settings), projects, d.AllowInside}, nil
}

// shown is what the audit shows of a destination: never its secret.
func (d *Destination) shown() map[string]any {
	return map[string]any{"kind": d.Kind, "url": d.URL, "projects": d.Projects, "allow_inside": d.AllowInside,
		"from": d.From, "to": d.To, "description": d.Description}
}

// Create makes a destination.
func Create(ctx context.Context, d *db.DB, x *Destination) error {
	if err := CheckName(x.Name); err != nil {
		return err
	}
	return d.InTx(ctx, func(tx *sql.Tx) error {
		args, err := x.written()
		if err != nil {
			return err
		}
		res, err := tx.ExecContext(
			ctx,
			"INSERT INTO destination (name, kind, url, secret, settings, projects, allow_inside, created, maker, maker_name) VALUES (?,?,?,?,?,?,?,?,?,?)",
			append(args, db.Micros(d.Now()), x.Maker.ID, x.Maker.Name)...)
		if db.Duplicate(err) {
			return taken(x.Name)
		}
		if err != nil {
			return err
		}
		if x.ID, err = res.LastInsertId(); err != nil {
			return err
		}
		return audit.Record(
			ctx,
			tx,
			d.Now(),
			audit.Act{Action: "destination created", Target: x.Name, After: x.shown()},
		)
	})
}

func taken(name string) error {
	return problem.New(problem.Conflict, "there is a destination %s already", name)
}

// Change writes a destination again; it counts as one that answers.
func Change(ctx context.Context, d *db.DB, before, after *Destination) error {
	if err := CheckName(after.Name); err != nil {
		return err
	}
	return d.InTx(ctx, func(tx *sql.Tx) error {
		args, err := after.written()
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(
			ctx,
			"UPDATE destination SET name=?, kind=?, url=?, secret=?, settings=?, projects=?, allow_inside=?, failing_since=NULL, failed_tries=0, paused=NULL, probe=NULL WHERE id=?",
			append(args, after.ID)...)
		if db.Duplicate(err) {
			return taken(after.Name)
		}
		if err != nil {
			return err
		}
		return audit.Record(ctx, tx, d.Now(), audit.Act{Action: "destination changed", Target: after.Name,
			Before: before.shown(), After: after.shown()})
	})
}

// Remove removes a destination; messages that wait for it are cancelled.
func Remove(ctx context.Context, d *db.DB, x *Destination) error {
	return d.InTx(ctx, func(tx *sql.Tx) error {
		for _, q := range []string{"UPDATE destination SET removed=" + db.Clock + ", secret='', settings=JSON_REMOVE(settings,'$.hook_secret') WHERE id=?",
			"UPDATE delivery SET state='cancelled' WHERE destination=? AND state IN ('waiting','held')",
			"UPDATE ticket SET gone=1, dirty=0, trouble='its tracker was removed here' WHERE destination=?",
			"DELETE FROM pager_alert WHERE destination=?"} {
			if _, err := tx.ExecContext(ctx, q, x.ID); err != nil {
				return err
			}
		}
		return audit.Record(
			ctx,
			tx,
			d.Now(),
			audit.Act{Action: "destination removed", Target: x.Name, Before: x.shown()},
		)
	})
}

// Answered notes that a try succeeded; was says that the destination was paused.
func Answered(ctx context.Context, tx *sql.Tx, id int64) (was bool, err error) {
	var paused sql.NullInt64
	if err := tx.QueryRowContext(ctx, "SELECT paused FROM destination WHERE id=? FOR UPDATE", id).Scan(
		&paused,
	); err != nil {
		return false, err
	}
	_, err = tx.ExecContext(
		ctx,
		"UPDATE destination SET failing_since=NULL, failed_tries=0, paused=NULL, probe=NULL WHERE id=?",
		id,
	)
	return paused.Valid, err
}

// Failed notes that a try failed, and gives the destination as it stands.
func Failed(ctx context.Context, tx *sql.Tx, id int64, at time.Time) (*Destination, error) {
	if _, err := tx.ExecContext(
		ctx,
		"UPDATE destination SET failing_since=COALESCE(failing_since,?), failed_tries=failed_tries+1 WHERE id=?",
		db.Micros(at),
		id,
	); err != nil {
		return nil, err
	}
	return ByID(ctx, tx, id)
}

// Pause pauses a destination until it is probed.
func Pause(ctx context.Context, tx *sql.Tx, id int64, at, probe time.Time) error {
	_, err := tx.ExecContext(
		ctx,
		"UPDATE destination SET paused=COALESCE(paused,?), probe=? WHERE id=?",
		db.Micros(at),
		db.Micros(probe),
		id,
	)
	return err
}
