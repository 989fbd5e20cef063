package segments

import (
	"context"
	"database/sql"

	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// Called is what an event calls a user: the hash of a name, and the user.
type Called struct{ Name, User int64 }

// Identities notes what users are called beside the name they are known by. It is safe
// for concurrent use.
type Identities struct {
	db      *db.DB
	written *cache.Cache[calledIn, bool]
}

// calledIn holds for a day: another process may have erased the user since.
type calledIn struct {
	project int64
	day     int
	Called
}

// NewIdentities makes one.
func NewIdentities(d *db.DB) *Identities {
	return &Identities{d, cache.New(8<<20, func(calledIn, bool) int { return 40 })}
}

// Add writes the names that are not known to be written. What it gives back is to be remembered
// once the transaction is committed.
func (i *Identities) Add(ctx context.Context, tx *sql.Tx, project int64, list []Called) ([]Called, error) {
	fresh := map[Called]bool{}
	for _, c := range list {
		if known, _ := i.written.Get(calledIn{project, db.Day(i.db.Now()), c}); !known && c.Name != c.User {
			fresh[c] = true
		}
	}
	var out []Called
	var rows [][]any
	for c := range fresh {
		out = append(out, c)
		rows = append(rows, []any{project, c.Name, c.User})
	}
	db.SortRows(rows, 3)
	return out, db.InsertRows(ctx, tx, "INSERT IGNORE INTO user_identity (project, identity, user)", "", rows)
}

// Remember remembers written names, so that they are not written again.
func (i *Identities) Remember(project int64, list []Called) {
	for _, c := range list {
		i.written.Put(calledIn{project, db.Day(i.db.Now()), c}, true)
	}
}

// Forget clears the memory: a user was erased.
func (i *Identities) Forget() { i.written.Clear() }
