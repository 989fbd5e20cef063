package accounts

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
)

// Grant is who asks, and what a token or a session of theirs allows.
type Grant struct {
	access.Caller
	Scope      string      // of a token: its name for people; of a session: person, or admin for operators
	Person     *Person     // nil: a token of nobody
	Everywhere access.Role // the person's role in all projects
	TokenID    int64       // 0: a session
	Limited    bool        // the token was made for some projects only
	Label      string
	Session    int64      // 0: a token
	SignedIn   time.Time  // when the session was opened
	stale      *staleness // the session needs another secret; nil: it does not
}

// Whole says whether the grant has all permissions of its person: a session, or a token of
// theirs that nothing was kept from.
func (g *Grant) Whole() bool {
	if !g.Caller.Token {
		return true
	}
	kept := func(p access.Permission) bool {
		return !slices.Contains(g.Given, p) && !slices.Contains(g.Given, access.Administer)
	}
	return !g.Limited && !slices.ContainsFunc(access.KindPerson.Usual(), kept)
}

// Limits of sessions.
const (
	SessionLife = 30 * 24 * time.Hour // after it was opened
	SessionIdle = 12 * time.Hour      // after it was last used
	secretGrace = time.Minute         // that a replaced secret is good after the new one was first used
	usedEvery   = time.Minute         // last uses are noted that often
)

// sessionRow is a session as it is looked up.
type sessionRow struct {
	id, opened, used, rotated, oldUntil int64
}

// staleness is what a session is like whose secret is to be replaced.
type staleness struct {
	hash    []byte // by which it was found; nil: by the one before
	rotated int64
}

// GrantOfSession is what a signed-in browser may do; see Rotate.
func (s *SessionStore) GrantOfSession(ctx context.Context, secret, address string) (*Grant, error) {
	now := s.db.Now()
	hash := hashSecret(secret)
	var w sessionRow
	find := func(cond string, args ...any) (*Person, error) {
		return db.First(ctx, s.db, func(r *sql.Rows) (*Person, error) {
			return scanPersonAnd(r, &w.id, &w.opened, &w.used, &w.rotated, &w.oldUntil)
		}, "SELECT "+personColumns+", w.id, w.created, GREATEST(w.used, w.created), w.rotated, w.old_until"+
			" FROM web_session w JOIN person p ON p.id=w.person WHERE "+cond+
			" AND w.expires>? AND GREATEST(w.used, w.created)>? AND p.left_at IS NULL",
			append(args, db.Micros(now), db.Micros(now.Add(-SessionIdle)))...)
	}
	p, err := find("w.hash=?", hash)
	if errors.Is(err, sql.ErrNoRows) {
		p, err = find("w.old_hash=? AND w.old_until>?", hash, db.Micros(now))
		hash = nil
	}
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.Unauthorized, "you are not signed in, or the session has run out")
	}
	if err != nil {
		return nil, err
	}
	g := &Grant{Caller: access.Caller{Person: true, Operator: p.Operator}, Scope: "person", Person: p, Label: p.Name,
		Session: w.id, SignedIn: db.FromMicros(w.opened)}
	if p.Operator {
		g.Scope = "admin"
	}
	if g.Everywhere, err = roleOf(ctx, s.db, s.known, p, Everywhere); err != nil {
		return nil, err
	}
	grace := secretGrace.Microseconds()
	switch at := db.Micros(now); {
	case hash != nil && p.rolesChanged > max(w.rotated, w.opened), hash == nil && at-w.rotated > grace:
		// A role changed; or the new secret has not reached the browser.
		g.stale = &staleness{hash, w.rotated}
	case hash != nil && w.oldUntil > at+grace: // the new secret has arrived
		_, err = s.db.ExecContext(ctx, "UPDATE web_session SET old_until=? WHERE id=?", at+grace, w.id)
	case at-w.used > usedEvery.Microseconds():
		_, err = s.db.ExecContext(ctx, "UPDATE web_session SET used=?, address=? WHERE id=?", at, address, w.id)
	}
	return g, err
}

// Rotate gives a session another secret where it needs one: after a role of its
// person changed. The secret before stays good until the new one is used, and a
// minute more, for requests that are on their way. "": the session keeps its secret.
func (s *SessionStore) Rotate(ctx context.Context, g *Grant) (string, error) {
	if g.stale == nil {
		return "", nil
	}
	now := s.db.Now()
	secret, next := secretText()
	set, args := "hash=?, rotated=?, used=?, old_until=?", []any{next, db.Micros(now), db.Micros(now),
		db.Micros(now.Add(SessionIdle))}
	if g.stale.hash != nil {
		set, args = set+", old_hash=?", append(args, g.stale.hash)
	}
	res, err := s.db.ExecContext(ctx, "UPDATE web_session SET "+set+" WHERE id=? AND rotated=?",
		append(args, g.Session, g.stale.rotated)...)
	if err != nil {
		return "", err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 { // another request was faster
		return "", err
	}
	return secret, nil
}

// GrantOfToken is what a token allows; problem.Unauthorized when it is not known or
// has run out.
func (s *TokenStore) GrantOfToken(ctx context.Context, text, address string) (*Grant, error) {
	now := s.db.Now()
	g, t, err := s.findToken(ctx, "hash=?", hashSecret(text))
	if errors.Is(err, sql.ErrNoRows) {
		g, t, err = s.findToken(ctx, "old_hash=? AND old_until>?", hashSecret(text), db.Micros(now))
	}
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.Unauthorized, "this token is not known; firethorn login remembers another")
	}
	if err != nil {
		return nil, err
	}
	if t.expires.Valid && t.expires.Int64 < db.Micros(now) {
		return nil, problem.New(problem.Unauthorized,
			"this token has run out; make a new one: firethorn token create LABEL")
	}
	if db.Micros(now)-t.used.Int64 > usedEvery.Microseconds() || t.address != address {
		if _, err := s.db.ExecContext(ctx, "UPDATE token SET last_used=?, last_address=? WHERE id=?", db.Micros(now),
			address, g.TokenID); err != nil {
			return nil, err
		}
	}
	if !t.person.Valid {
		return g, nil
	}
	if g.Person, err = scanPerson(s.db.QueryRowContext(ctx, personByID, t.person.Int64)); err != nil {
		return nil, err
	}
	if !g.Person.Here() {
		return nil, problem.New(problem.Unauthorized, "%s left; this token does not work any more", g.Person.Name)
	}
	g.Caller.Person, g.Operator = true, g.Person.Operator
	g.Everywhere, err = roleOf(ctx, s.db, s.known, g.Person, Everywhere)
	return g, err
}

// tokenUse is what of a token only its look-up needs.
type tokenUse struct {
	person, expires, used sql.NullInt64
	address               string
}

func (s *TokenStore) findToken(ctx context.Context, cond string, args ...any) (*Grant, tokenUse, error) {
	g := &Grant{}
	g.Caller.Token = true
	var t tokenUse
	var permissions string
	err := db.FirstInto(ctx, s.db, db.Into{"id": &g.TokenID, "label": &g.Label, "scope": &g.Scope,
		"permissions": &permissions, "limited": &g.Limited, "before_roles": &g.Before, "person": &t.person,
		"expires": &t.expires, "last_used": &t.used, "last_address": &t.address},
		"SELECT id, label, scope, permissions, project IS NOT NULL OR EXISTS(SELECT 1 FROM token_project x WHERE x.token=token.id) AS limited, before_roles, person, expires, last_used, last_address FROM token WHERE "+cond, args...)
	g.Given = access.Split(permissions)
	return g, t, err
}

// TokenWithin says whether a project is one of those that a token was made for.
func (s *TokenStore) TokenWithin(ctx context.Context, token, project int64) (within bool, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT EXISTS(SELECT 1 FROM token_project WHERE token=? AND project=?)", token,
		project).Scan(&within)
	return within, err
}
