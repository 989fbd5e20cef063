package names

import (
	"bytes"
	"context"
	"database/sql"
	"slices"

	"firethorn/internal/cache"
	"firethorn/internal/db"
)

// Table names the tables that hold names by the hash of their bytes.
type Table string

const (
	Releases      Table = "app_release"
	Environments  Table = "environment"
	Resources     Table = "resource"
	Attributes    Table = "attribute"
	SessionValues Table = "session_value"
)

// Key finds a name in the cache.
type Key struct {
	table   Table
	project int64
	hash    [16]byte
}

// KeyOf is the key of a name of a project.
func KeyOf(table Table, project int64, name string) Key {
	return Key{table, project, db.NameHash(name)}
}

// cacheBytes bounds the cache of ids. Ids never change, so it is never wrong.
const cacheBytes = 16 << 20

func newCache() *cache.Cache[Key, int64] {
	return cache.New(cacheBytes, func(Key, int64) int { return 56 })
}

// Get gives the id of a name that is remembered.
func (s *Store) Get(k Key) (int64, bool) { return s.ids.Get(k) }

// Forget drops a name from the cache: it has no id any more.
func (s *Store) Forget(k Key) { s.ids.Drop(k) }

// Learned are ids that a transaction saw. Some of them may be its own and not
// committed yet, so they reach the cache after the commit and not before: an id
// of a transaction that was rolled back leads to nothing.
type Learned []learnedName

type learnedName struct {
	key Key
	id  int64
}

// Add notes an id; a nil list takes none.
func (l *Learned) Add(k Key, id int64) {
	if l != nil {
		*l = append(*l, learnedName{k, id})
	}
}

// Learn takes what a transaction that was committed saw.
func (s *Store) Learn(list Learned) {
	for _, x := range list {
		s.ids.Put(x.key, x.id)
	}
}

// Wanted are names whose ids are wanted.
type Wanted struct {
	Table   Table
	Project int64
	Names   []string
	Now     int64    // of those that are new
	Found   *Learned // gets the ids for the cache: see Learned; may be nil
	// Room says how many of the wanted new ones may be made; those that may not
	// are missing from the answer. Without it all may.
	Room func(want int) (int, error)
}

// Intern gives the ids of names, making those that are new.
func (s *Store) Intern(ctx context.Context, tx *sql.Tx, w Wanted) (map[string]int64, error) {
	table, project, names, found, now, room := w.Table, w.Project, w.Names, w.Found, w.Now, w.Room
	out := map[string]int64{}
	byHash := map[[16]byte]string{}
	var missing [][]byte
	slices.Sort(names)
	for _, n := range slices.Compact(names) {
		k := KeyOf(table, project, n)
		if id, ok := s.ids.Get(k); ok {
			out[n] = id
			continue
		}
		byHash[k.hash] = n
		missing = append(missing, bytes.Clone(k.hash[:]))
	}
	if len(missing) == 0 {
		return out, nil
	}
	slices.SortFunc(missing, bytes.Compare)
	read := func() error {
		args := []any{project}
		for _, h := range missing {
			args = append(args, h)
		}
		return db.Each(ctx, tx, func(r *sql.Rows) error {
			var id int64
			var hash []byte
			if err := r.Scan(&id, &hash); err != nil {
				return err
			}
			h := [16]byte(hash)
			out[byHash[h]] = id
			found.Add(Key{table, project, h}, id)
			return nil
		}, "SELECT id, hash FROM "+string(table)+" WHERE project=? AND hash IN ("+db.Marks(len(missing))+")", args...)
	}
	if err := read(); err != nil {
		return nil, err
	}
	var rows [][]any
	for _, h := range missing {
		if n := byHash[[16]byte(h)]; out[n] == 0 {
			rows = append(rows, []any{project, h, n, now})
		}
	}
	if room != nil && len(rows) > 0 {
		n, err := room(len(rows))
		if err != nil {
			return nil, err
		}
		rows = rows[:n]
	}
	if len(rows) == 0 {
		return out, nil
	}
	if err := db.InsertRows(ctx, tx, "INSERT IGNORE INTO "+string(table)+" (project, hash, name, first_seen)", "",
		rows); err != nil {
		return nil, err
	}
	return out, read()
}

// IDOf is the id of a name, 0 when a project has none like it.
func IDOf(ctx context.Context, q db.Querier, table Table, project int64, name string) (int64, error) {
	list, err := db.Numbers(ctx, q, "SELECT id FROM "+string(table)+" WHERE project=? AND hash=?", project,
		db.Hash16(name))
	if err != nil || len(list) == 0 {
		return 0, err
	}
	return list[0], nil
}
