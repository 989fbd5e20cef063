package mariadb

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"slices"
	"sync"
)

// interned names the tables that hold names by the hash of their bytes.
type interned string

const (
	releases     interned = "app_release"
	environments interned = "environment"
	resources    interned = "resource"
)

type nameKey struct {
	table   interned
	project int64
	hash    [16]byte
}

// nameCache remembers ids of interned names; ids never change, so it is never
// wrong. It is emptied when it grows too large.
type nameCache struct {
	mu  sync.Mutex
	ids map[nameKey]int64
}

const nameCacheMost = 100_000

func newNameCache() *nameCache { return &nameCache{ids: map[nameKey]int64{}} }

func (c *nameCache) get(k nameKey) (int64, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	id, ok := c.ids[k]
	return id, ok
}

func (c *nameCache) put(k nameKey, id int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.ids) >= nameCacheMost {
		clear(c.ids)
	}
	c.ids[k] = id
}

// learned are ids that a transaction saw. Some of them may be its own and not
// committed yet, so they reach the cache after the commit and not before: an id
// of a transaction that was rolled back leads to nothing.
type learned []learnedName

type learnedName struct {
	key nameKey
	id  int64
}

func (l *learned) add(k nameKey, id int64) {
	if l != nil {
		*l = append(*l, learnedName{k, id})
	}
}

// learn takes what a transaction that was committed saw.
func (c *nameCache) learn(list learned) {
	for _, x := range list {
		c.put(x.key, x.id)
	}
}

func nameHash(name string) [16]byte {
	h := sha256.Sum256([]byte(name))
	return [16]byte(h[:16])
}

// intern gives the ids of names, making those that are new. found, which may be
// nil, gets them for the cache: see learned.
//
// room says how many of the wanted new ones may be made; those that may not
// are missing from the answer. Without it all may.
func (s *Store) intern(ctx context.Context, tx *sql.Tx, found *learned, table interned, project int64, names []string, now int64, room func(want int) (int, error)) (map[string]int64, error) {
	out := map[string]int64{}
	byHash := map[[16]byte]string{}
	var missing [][]byte
	slices.Sort(names)
	for _, n := range slices.Compact(names) {
		k := nameKey{table, project, nameHash(n)}
		if id, ok := s.names.get(k); ok {
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
		return each(ctx, tx, func(r *sql.Rows) error {
			var id int64
			var hash []byte
			if err := r.Scan(&id, &hash); err != nil {
				return err
			}
			h := [16]byte(hash)
			out[byHash[h]] = id
			found.add(nameKey{table, project, h}, id)
			return nil
		}, "SELECT id, hash FROM "+string(table)+" WHERE project=? AND hash IN ("+marks(len(missing))+")", args...)
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
	if err := insertRows(ctx, tx, "INSERT IGNORE INTO "+string(table)+" (project, hash, name, first_seen)", "", rows); err != nil {
		return nil, err
	}
	return out, read()
}
