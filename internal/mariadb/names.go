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

func nameHash(name string) [16]byte {
	h := sha256.Sum256([]byte(name))
	return [16]byte(h[:16])
}

// intern gives the ids of names, making those that are new. Ids seen in a
// transaction reach the cache only through the maps the caller keeps: a
// transaction may still be rolled back, so the cache is filled by reads of
// committed rows alone.
//
// room says how many of the wanted new ones may be made; those that may not
// are missing from the answer. Without it all may.
func (s *Store) intern(ctx context.Context, tx *sql.Tx, table interned, project int64, names []string, now int64, room func(want int) (int, error)) (map[string]int64, error) {
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
	read := func(cache bool) error {
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
			if cache {
				s.names.put(nameKey{table, project, h}, id)
			}
			return nil
		}, "SELECT id, hash FROM "+string(table)+" WHERE project=? AND hash IN ("+marks(len(missing))+")", args...)
	}
	if err := read(true); err != nil {
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
	return out, read(false)
}
