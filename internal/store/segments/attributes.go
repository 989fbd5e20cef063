package segments

import (
	"context"
	"database/sql"
	"maps"
	"slices"
	"time"

	"firethorn/internal/cache"
	"firethorn/internal/core/attributes"
	"firethorn/internal/core/columns"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/names"
)

// maxAttributes is how many names that are none of OpenTelemetry's are searched of a
// project at a time, and unusedDays after how many days without use a place is free.
const (
	maxAttributes = 200
	unusedDays    = 30
)

// Attributes gives the names of attributes their columns. It is safe for concurrent
// use.
type Attributes struct {
	db    *db.DB
	names *names.Store
	used  *cache.Cache[int64, int] // attribute → the day its use was noted
}

// NewAttributes makes one.
func NewAttributes(d *db.DB, n *names.Store) *Attributes {
	return &Attributes{d, n, cache.New(1<<20, func(int64, int) int { return 16 })}
}

// IDs gives names their columns, making those that are new as far as there are places;
// those that found none are missing. found gets what is new: see names.Learned.
func (a *Attributes) IDs(ctx context.Context, tx *sql.Tx, project int64, list []attributes.Named,
	found *names.Learned) (map[string]int64, error) {
	ids, err := a.intern(ctx, tx, project, list, found)
	if err != nil {
		return nil, err
	}
	freed, err := a.noteUse(ctx, tx, ids)
	if err != nil || len(freed) == 0 {
		return ids, err
	}
	for _, name := range freed { // given back by another process, and remembered here
		a.names.Forget(names.KeyOf(names.Attributes, project, name))
	}
	return a.intern(ctx, tx, project, list, found)
}

func (a *Attributes) intern(ctx context.Context, tx *sql.Tx, project int64, list []attributes.Named,
	found *names.Learned) (map[string]int64, error) {
	seen := map[string]bool{}
	var standard, others []string
	for _, x := range list {
		switch {
		case seen[x.Name]:
		case attributes.Standard(x.Name):
			standard = append(standard, x.Name)
		default:
			others = append(others, x.Name)
		}
		seen[x.Name] = true
	}
	wanted := names.Wanted{Table: names.Attributes, Project: project, Names: standard, Now: db.Micros(a.db.Now()),
		Found: found}
	ids, err := a.names.Intern(ctx, tx, wanted)
	if err != nil {
		return nil, err
	}
	wanted.Names, wanted.Room = others, func(want int) (int, error) {
		known, err := db.Texts(ctx, tx, "SELECT name FROM attribute WHERE project=? AND dropped=0", project)
		known = slices.DeleteFunc(known, attributes.Standard)
		return max(0, min(want, maxAttributes-len(known))), err
	}
	more, err := a.names.Intern(ctx, tx, wanted)
	if err != nil {
		return nil, err
	}
	maps.Copy(ids, more)
	return ids, nil
}

// noteUse notes once a day that names are in use, and lists those whose place was
// given back.
func (a *Attributes) noteUse(ctx context.Context, tx *sql.Tx, ids map[string]int64) (freed []string, err error) {
	today := db.Day(a.db.Now())
	byID := map[int64]string{}
	for name, id := range ids {
		if day, ok := a.used.Get(id); !ok || day != today {
			byID[id] = name
		}
	}
	if len(byID) == 0 {
		return nil, nil
	}
	list := slices.Sorted(maps.Keys(byID))
	there, err := db.Numbers(
		ctx,
		tx,
		"SELECT id FROM attribute WHERE id IN ("+db.Marks(len(list))+")",
		db.AnyOf(list)...)
	if err != nil {
		return nil, err
	}
	for _, id := range there {
		a.used.Put(id, today)
		delete(byID, id)
	}
	_, err = tx.ExecContext(ctx, "UPDATE attribute SET last_day=? WHERE id IN ("+db.Marks(len(list))+") AND last_day<?",
		append(append([]any{today}, db.AnyOf(list)...), today)...)
	return slices.Collect(maps.Values(byID)), err
}

// Free gives the places of names back that nothing used for some time; segments lose
// their columns as they are merged.
func (a *Attributes) Free(ctx context.Context) error {
	_, err := a.db.ExecContext(ctx, "DELETE FROM attribute WHERE last_day<?", db.Day(a.db.Now())-unusedDays)
	return err
}

// Attribute is a name that is searched.
type Attribute struct {
	Name     string
	Standard bool // one of OpenTelemetry's: it takes no place
	Since    time.Time
	Used     time.Time // the day of its last use, UTC
	Dropped  bool      // somebody took its place away
}

// List lists the names of a project, by name.
func (a *Attributes) List(ctx context.Context, project int64) ([]Attribute, error) {
	return db.List(ctx, a.db, func(r *sql.Rows) (x Attribute, err error) {
		var since, day int64
		err = r.Scan(&x.Name, &since, &day, &x.Dropped)
		x.Standard, x.Since = attributes.Standard(x.Name), db.FromMicros(since)
		x.Used = time.Unix(day*86400, 0).UTC()
		return x, err
	}, "SELECT name, first_seen, last_day, dropped FROM attribute WHERE project=? ORDER BY name", project)
}

// Places is how many names of one's own a project may have at a time.
func (a *Attributes) Places() int { return maxAttributes }

// Drop takes the place of a name away, or gives it back. What events have of it stays
// in their bodies; segments lose the column as they are merged.
func (a *Attributes) Drop(ctx context.Context, tx *sql.Tx, project int64, name string, dropped bool) error {
	var there int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM attribute WHERE project=? AND hash=?", project,
		db.Hash16(name)).Scan(&there); err != nil {
		return err
	}
	if there == 0 {
		return problem.New(problem.NotFound, "no attribute %q is searched here", name)
	}
	_, err := tx.ExecContext(ctx, "UPDATE attribute SET dropped=?, first_seen=? WHERE project=? AND hash=?", dropped,
		db.Micros(a.db.Now()), project, db.Hash16(name))
	return err
}

// Cells are the attributes that have a column.
func Cells(list []attributes.Named, ids map[string]int64) []columns.Cell {
	out := make([]columns.Cell, 0, len(list))
	for _, a := range list {
		if id := ids[a.Name]; id != 0 {
			out = append(out, columns.Cell{Column: uint32(id), Value: a.Value})
		}
	}
	return out
}
