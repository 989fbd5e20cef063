// Package audit writes the audit log in the transaction of each change: who did what, when and from
// where, each entry sealed with the hash of the one before (core/audit).
package audit

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"time"
	"unicode/utf8"

	"firethorn/internal/core/audit"
	"firethorn/internal/db"
)

// Who does something, and from which address.
type Who struct {
	Kind    string // "person", "token", "service" or "nobody"
	ID      int64
	Name    string
	Address string
}

type whoKey struct{}

// By names the caller of everything done with the context.
func By(ctx context.Context, who Who) context.Context { return context.WithValue(ctx, whoKey{}, who) }

// As is By for a caller who becomes known during the request: the address stays.
func As(ctx context.Context, kind string, id int64, name string) context.Context {
	return By(ctx, Who{Kind: kind, ID: id, Name: name, Address: whoIs(ctx).Address})
}

// whoIs is who does what is done with a context: the service, unless By says other.
func whoIs(ctx context.Context) Who {
	if who, ok := ctx.Value(whoKey{}).(Who); ok {
		return who
	}
	return Who{Kind: "service"}
}

// Act is an action. Before and After are written as JSON and must hold no secret;
// nil: there was nothing, or nothing is left.
type Act struct {
	Action  string
	Project string
	Target  string
	Before  any
	After   any
}

// Record writes, in a transaction, what the caller named by the context does.
func Record(ctx context.Context, tx *sql.Tx, now time.Time, a Act) error {
	before, err := state(a.Before)
	if err != nil {
		return err
	}
	after, err := state(a.After)
	if err != nil {
		return err
	}
	who := whoIs(ctx)
	e := audit.Entry{At: now.UTC().Truncate(time.Microsecond), Kind: who.Kind, Who: who.ID, Name: cut(who.Name, 150),
		Address: cut(who.Address, 64), Action: cut(a.Action, 60), Project: cut(a.Project, 63),
		Target: cut(a.Target, 250),
		Before: before, After: after}
	var hash []byte
	// One after the other: the lock is held until the transaction ends.
	if err := tx.QueryRowContext(ctx, "SELECT last, hash FROM audit_head WHERE one=1 FOR UPDATE").Scan(&e.ID,
		&hash); err != nil {
		return fmt.Errorf("the audit could not be locked: %w", err)
	}
	e.ID++
	e.Hash = audit.Seal(audit.Hash(hash), &e)
	if _, err := tx.ExecContext(ctx, "INSERT INTO audit (id, at, actor_kind, actor, actor_name, address, action, project, target, state_before, state_after, hash) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)",
		e.ID, db.Micros(e.At), e.Kind, e.Who, e.Name, e.Address, e.Action, e.Project, e.Target, e.Before, e.After,
		e.Hash[:]); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "UPDATE audit_head SET last=?, hash=? WHERE one=1", e.ID, e.Hash[:])
	return err
}

func state(v any) (string, error) {
	if v == nil {
		return "", nil
	}
	raw, err := json.Marshal(v)
	if err != nil {
		return "", fmt.Errorf("what the audit should hold cannot be written: %w", err)
	}
	return string(raw), nil
}

// cut shortens a text to so many characters: what was shown then is for people.
func cut(s string, limit int) string {
	if utf8.RuneCountInString(s) <= limit {
		return s
	}
	r := []rune(s)
	return string(r[:limit-1]) + "…"
}

// Store reads the audit log, and adds actions that have no transaction of their own.
type Store struct{ db *db.DB }

// New makes a store.
func New(d *db.DB) *Store { return &Store{db: d} }

// Note records something by itself.
func (s *Store) Note(ctx context.Context, a Act) error {
	return s.db.InTx(ctx, func(tx *sql.Tx) error { return Record(ctx, tx, s.db.Now(), a) })
}

// Query asks for entries, the newest first.
type Query struct {
	Project string // "": all
	Kind    string // of who did it, with ID; "": anybody
	ID      int64
	Since   time.Time // zero: all
	Before  int64     // the id that the page before ended at; 0: the newest
	Limit   int
}

// List gives a page of entries, and where the next one begins; 0: there is none.
func (s *Store) List(ctx context.Context, q Query) (list []audit.Entry, next int64, err error) {
	where, args := "1=1", []any{}
	for _, c := range []struct {
		on   bool
		text string
		args []any
	}{
		{q.Project != "", " AND project=?", []any{q.Project}},
		{q.Kind != "", " AND actor_kind=? AND actor=?", []any{q.Kind, q.ID}},
		{!q.Since.IsZero(), " AND at>=?", []any{db.Micros(q.Since)}},
		{q.Before > 0, " AND id<?", []any{q.Before}},
	} {
		if c.on {
			where, args = where+c.text, append(args, c.args...)
		}
	}
	err = s.each(ctx, func(e *audit.Entry) { list = append(list, *e) }, " WHERE "+where+" ORDER BY id DESC LIMIT ?",
		append(args, q.Limit+1)...)
	if len(list) > q.Limit {
		list = list[:q.Limit]
		next = list[q.Limit-1].ID
	}
	return list, next, err
}

func (s *Store) each(ctx context.Context, take func(*audit.Entry), rest string, args ...any) error {
	return db.Each(ctx, s.db, func(r *sql.Rows) error {
		var e audit.Entry
		var at int64
		var hash []byte
		if err := db.ScanNames(r, db.Into{"id": &e.ID, "at": &at, "actor_kind": &e.Kind, "actor": &e.Who,
			"actor_name": &e.Name, "address": &e.Address, "action": &e.Action, "project": &e.Project,
			"target":       &e.Target,
			"state_before": &e.Before, "state_after": &e.After, "hash": &hash}); err != nil {
			return err
		}
		e.At = db.FromMicros(at)
		copy(e.Hash[:], hash)
		take(&e)
		return nil
	}, "SELECT id, at, actor_kind, actor, actor_name, address, action, project, target, state_before, state_after, hash FROM audit"+rest, args...)
}

// Verified is what checking the chain found.
type Verified struct {
	Entries     int64
	First, Last int64 // ids of what is kept; 0: nothing
	Hash        audit.Hash
	Broken      *audit.Break
}

// verifyChunk is how many entries are read at once.
const verifyChunk = 5000

// Verify checks the chain from the oldest entry that is kept to the newest.
func (s *Store) Verify(ctx context.Context) (*Verified, error) {
	var v Verified
	var dropped int64
	var hash, droppedHash []byte
	if err := s.db.QueryRowContext(ctx, "SELECT last, hash, dropped, dropped_hash FROM audit_head WHERE one=1").Scan(&v.Last,
		&hash, &dropped, &droppedHash); err != nil {
		return nil, err
	}
	v.Hash = audit.Hash(hash)
	chain := audit.NewChain(dropped, audit.Hash(droppedHash))
	for at := dropped; ; {
		n := 0
		err := s.each(ctx, func(e *audit.Entry) {
			chain.Add(e)
			if v.First == 0 {
				v.First = e.ID
			}
			at, n = e.ID, n+1
		}, " WHERE id>? AND id<=? ORDER BY id LIMIT ?", at, v.Last, verifyChunk)
		if err != nil {
			return nil, err
		}
		v.Entries += int64(n)
		if n < verifyChunk {
			break
		}
	}
	v.Broken = chain.End(v.Last, v.Hash)
	return &v, nil
}

// Life is how long entries are kept.
const Life = 400 * 24 * time.Hour

// expireChunk is how many entries are dropped at once.
const expireChunk = 1000

// Expire drops entries that are older than Life, the oldest first; the chain begins
// behind them then. It says whether more are left to drop.
func (s *Store) Expire(ctx context.Context) (more bool, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		var last, n int64
		var hash []byte
		err := tx.QueryRowContext(ctx, "SELECT COALESCE(MAX(id),0), COUNT(*) FROM (SELECT id FROM audit WHERE at<? ORDER BY id LIMIT ?) old",
			db.Micros(s.db.Now().Add(-Life)), expireChunk).Scan(&last, &n)
		if err != nil || n == 0 {
			return err
		}
		if err := tx.QueryRowContext(ctx, "SELECT hash FROM audit WHERE id=?", last).Scan(&hash); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE audit_head SET dropped=?, dropped_hash=? WHERE one=1", last,
			hash); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "DELETE FROM audit WHERE id<=?", last)
		more = n == expireChunk
		return err
	})
	return more, err
}
