package mariadb

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"errors"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/people"
)

// Scope is what a token may do.
type Scope string

// The scopes: each may do what stands behind it, and no more.
const (
	ScopeBuild  Scope = "build"  // push symbols
	ScopeRead   Scope = "read"   // see everything
	ScopePerson Scope = "person" // read and triage
	ScopeAdmin  Scope = "admin"  // everything
)

// Person is someone who works with Firethorn, or a team of such: a team can have
// issues, its members hear of them, and nobody signs in as one.
type Person struct {
	ID          int64
	Name, Email string // a team has no address
	Admin, Team bool
	Created     time.Time
	Left        time.Time // zero: works here
	Members     []string  // of a team, by name
}

// Here says whether somebody still works here, or a team is still there.
func (p *Person) Here() bool { return p.Left.IsZero() }

// Grant is what a token or a session allows.
type Grant struct {
	Scope   Scope
	Project int64 // 0: all
	Person  *Person
	Label   string
}

func secretText() (text string, hash []byte) {
	text = base64.RawURLEncoding.EncodeToString(newSecret(32))
	return text, hashSecret(text)
}

func hashSecret(text string) []byte {
	h := sha256.Sum256([]byte(text))
	return h[:]
}

// AddPerson adds someone.
func (s *Store) AddPerson(ctx context.Context, name, email string, admin bool) (*Person, error) {
	name, email = strings.TrimSpace(name), strings.ToLower(strings.TrimSpace(email))
	if name == "" || len(name) > 100 || strings.ContainsAny(name, "\x00\n\r\t") {
		return nil, fault.New(fault.BadInput, "a person needs a name of at most 100 characters on one line")
	}
	if at := strings.IndexByte(email, '@'); at < 1 || at == len(email)-1 || len(email) > 200 || strings.ContainsAny(email, " \x00\n") {
		return nil, fault.New(fault.BadInput, "%q is no e-mail address", email)
	}
	_, err := s.db.ExecContext(ctx, "INSERT INTO person (name, email, admin, created) VALUES (?,?,?,?)", name, email, admin, micros(s.now()))
	if duplicate(err) {
		return nil, fault.New(fault.Conflict, "there is a person %s or with the address %s already", name, email)
	}
	if err != nil {
		return nil, err
	}
	return s.FindPerson(ctx, email)
}

const personColumns = "p.id, p.name, COALESCE(p.email,''), p.admin, p.team, p.created, p.left_at"

func scanPerson(r interface{ Scan(...any) error }) (*Person, error) {
	var p Person
	var created int64
	var left sql.NullInt64
	err := r.Scan(&p.ID, &p.Name, &p.Email, &p.Admin, &p.Team, &created, &left)
	p.Created = fromMicros(created)
	if left.Valid {
		p.Left = fromMicros(left.Int64)
	}
	return &p, err
}

// FindPerson finds someone, or a team, by name or address, without regard to
// case, by the handle with @ that CODEOWNERS would name them by, or by a
// beginning of the name that only one has.
func (s *Store) FindPerson(ctx context.Context, who string) (*Person, error) {
	return s.findPerson(ctx, s.db, who)
}

func (s *Store) findPerson(ctx context.Context, q querier, who string) (*Person, error) {
	all, err := everybody(ctx, q)
	if err != nil {
		return nil, err
	}
	var starts []*Person
	handle, at := strings.CutPrefix(who, "@")
	for _, p := range all {
		if strings.EqualFold(p.Name, who) || who != "" && strings.EqualFold(p.Email, who) || at && people.Called(handle, p.Name, p.Email) {
			return p, nil
		}
		if who != "" && strings.HasPrefix(strings.ToLower(p.Name), strings.ToLower(who)) {
			starts = append(starts, p)
		}
	}
	if len(starts) == 1 {
		return starts[0], nil
	}
	if len(starts) > 1 {
		return nil, fault.New(fault.BadInput, "%q fits %d people; write the whole name or the address", who, len(starts))
	}
	return nil, fault.New(fault.BadInput, "nobody is called %q; firethorn person list shows who works here, person add NAME EMAIL adds someone", who)
}

// FindHere is FindPerson of those who still work here.
func (s *Store) FindHere(ctx context.Context, who string) (*Person, error) {
	return s.findHere(ctx, s.db, who)
}

func (s *Store) findHere(ctx context.Context, q querier, who string) (*Person, error) {
	p, err := s.findPerson(ctx, q, who)
	if err == nil && !p.Here() {
		return nil, fault.New(fault.Conflict, "%s left on %s; choose somebody who works here: firethorn person list", p.Name, p.Left.Format("2006-01-02"))
	}
	return p, err
}

// everybody lists all, teams among them, by name.
func everybody(ctx context.Context, q querier) (out []*Person, err error) {
	return out, each(ctx, q, func(r *sql.Rows) error {
		p, err := scanPerson(r)
		out = append(out, p)
		return err
	}, "SELECT "+personColumns+" FROM person p ORDER BY p.name")
}

// People lists the people, by name, those who left among them.
func (s *Store) People(ctx context.Context) ([]*Person, error) {
	all, err := everybody(ctx, s.db)
	return slices.DeleteFunc(all, func(p *Person) bool { return p.Team }), err
}

// NewToken makes a token; its text is given here and never again. person 0 and
// project 0 are none.
func (s *Store) NewToken(ctx context.Context, label string, scope Scope, project, person int64, life time.Duration) (string, error) {
	text, hash := secretText()
	var expires any
	if life > 0 {
		expires = micros(s.now().Add(life))
	}
	_, err := s.db.ExecContext(ctx, "INSERT INTO token (hash, label, scope, project, person, created, expires) VALUES (?,?,?,?,?,?,?)",
		hash, label, string(scope), nullID(project), nullID(person), micros(s.now()), expires)
	return text, err
}

// GrantOfToken is what a token allows; fault.Unauthorized when it is not known
// or has run out.
func (s *Store) GrantOfToken(ctx context.Context, text string) (*Grant, error) {
	var g Grant
	var id int64
	var project, person, expires, used sql.NullInt64
	var scope string
	err := s.db.QueryRowContext(ctx, "SELECT id, label, scope, project, person, expires, last_used FROM token WHERE hash=?", hashSecret(text)).Scan(&id, &g.Label, &scope, &project, &person, &expires, &used)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.Unauthorized, "this token is not known; firethorn login remembers another")
	}
	if err != nil {
		return nil, err
	}
	now := micros(s.now())
	if expires.Valid && expires.Int64 < now {
		return nil, fault.New(fault.Unauthorized, "this token has run out; make a new one")
	}
	g.Scope, g.Project = Scope(scope), project.Int64
	if now-used.Int64 > time.Minute.Microseconds() {
		if _, err := s.db.ExecContext(ctx, "UPDATE token SET last_used=? WHERE id=?", now, id); err != nil {
			return nil, err
		}
	}
	if person.Valid {
		g.Person, err = scanPerson(s.db.QueryRowContext(ctx, "SELECT "+personColumns+" FROM person p WHERE p.id=?", person.Int64))
		if err == nil && !g.Person.Here() {
			return nil, fault.New(fault.Unauthorized, "%s left; this token is good for nothing any more", g.Person.Name)
		}
	}
	return &g, err
}

// NewSignInLink makes the secret of a one-time link for a person.
func (s *Store) NewSignInLink(ctx context.Context, person int64, life time.Duration) (string, error) {
	text, hash := secretText()
	_, err := s.db.ExecContext(ctx, "INSERT INTO sign_in_link (hash, person, created, expires) VALUES (?,?,?,?)", hash, person, micros(s.now()), micros(s.now().Add(life)))
	return text, err
}

// SessionLife is how long a signed-in browser stays so.
const SessionLife = 30 * 24 * time.Hour

// SignIn uses a one-time link up and opens a session; its secret goes into the cookie.
func (s *Store) SignIn(ctx context.Context, link string) (secret string, err error) {
	now := s.now()
	res, err := s.db.ExecContext(ctx, "UPDATE sign_in_link SET used=? WHERE hash=? AND used IS NULL AND expires>?", micros(now), hashSecret(link), micros(now))
	if err != nil {
		return "", err
	}
	if n, err := res.RowsAffected(); err != nil || n != 1 {
		return "", errors.Join(fault.New(fault.Unauthorized, "this sign-in link was used already or has run out; firethorn person link NAME prints a new one"), err)
	}
	secret, hash := secretText()
	_, err = s.db.ExecContext(ctx, "INSERT INTO web_session (hash, person, created, expires) SELECT ?, person, ?, ? FROM sign_in_link WHERE hash=?", hash, micros(now), micros(now.Add(SessionLife)), hashSecret(link))
	return secret, err
}

// GrantOfSession is what a signed-in browser may do.
func (s *Store) GrantOfSession(ctx context.Context, secret string) (*Grant, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx, "SELECT "+personColumns+" FROM web_session w JOIN person p ON p.id=w.person WHERE w.hash=? AND w.expires>? AND p.left_at IS NULL", hashSecret(secret), micros(s.now())))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.Unauthorized, "you are not signed in, or the session has run out")
	}
	if err != nil {
		return nil, err
	}
	g := &Grant{Scope: ScopePerson, Person: p, Label: p.Name}
	if p.Admin {
		g.Scope = ScopeAdmin
	}
	return g, nil
}

// SignOut ends a session.
func (s *Store) SignOut(ctx context.Context, secret string) error {
	_, err := s.db.ExecContext(ctx, "DELETE FROM web_session WHERE hash=?", hashSecret(secret))
	return err
}
