package accounts

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
)

// Permission is one thing that a token or a person may do.
type Permission string

// The permissions. Administer is that of the admin scope alone: it cannot be
// given by itself.
const (
	PushSymbols      Permission = "symbols:push"
	AnnounceReleases Permission = "releases:announce" // and mark deploys, and send commits
	CheckRules       Permission = "rules:check"       // read a project's rules and check others
	PushRules        Permission = "rules:push"        // change a project's rules
	ReadIssues       Permission = "issues:read"
	TriageIssues     Permission = "issues:triage"
	ReadEvents       Permission = "events:read" // and try rules on stored events
	Administer       Permission = "admin"       // projects, keys, people, tokens
)

// Permissions lists all that can be given to a token.
var Permissions = []Permission{PushSymbols, AnnounceReleases, CheckRules, PushRules, ReadIssues, TriageIssues,
	ReadEvents}

// Scope is a set of permissions with a name.
type Scope string

// The scopes.
const (
	ScopeBuild  Scope = "build"
	ScopeRead   Scope = "read"
	ScopePerson Scope = "person"
	ScopeAdmin  Scope = "admin"
)

// Permissions lists what a scope allows unless more was said. It is empty for a
// scope that there is not.
func (s Scope) Permissions() []Permission {
	switch s {
	case ScopeBuild:
		return []Permission{PushSymbols, AnnounceReleases, CheckRules}
	case ScopeRead:
		return []Permission{CheckRules, ReadIssues, ReadEvents}
	case ScopePerson:
		return slices.Clone(Permissions)
	case ScopeAdmin:
		return append(slices.Clone(Permissions), Administer)
	}
	return nil
}

// Grant is what a token or a session allows.
type Grant struct {
	Scope       Scope
	Permissions []Permission
	Project     int64   // 0: all
	Person      *Person // nil: a token of nobody
	Token       int64   // 0: a session
	Label       string
}

// Allows says whether the grant holds a permission.
func (g *Grant) Allows(p Permission) bool { return slices.Contains(g.Permissions, p) }

// TokenLife is how long a token lives unless something else was said.
const TokenLife = 90 * 24 * time.Hour

// NewToken is what a token is made of.
type NewToken struct {
	Label           string
	Scope           Scope
	More            []Permission // beside those of the scope
	Project, Person int64        // 0: none
	Life            time.Duration
}

// TokenRow is a token as it is listed.
type TokenRow struct {
	ID          int64
	Label       string
	Scope       Scope
	Permissions []Permission
	Project     string // "": all
	Person      string // "": nobody's
	Created     time.Time
	Expires     time.Time // zero: never
	LastUsed    time.Time // zero: not yet
}

// Warning says what is risky about a token; "" when nothing is.
func (t *TokenRow) Warning() string {
	switch {
	case t.Scope == ScopeBuild && slices.Contains(t.Permissions, PushRules):
		return "a build token that may change rules: who has it can stop events from being stored"
	case t.Expires.IsZero():
		return "never runs out"
	}
	return ""
}

// CreateToken makes a token; its text is given here and never again. A Life of
// 0 is for ever.
func (s *Store) CreateToken(ctx context.Context, t NewToken) (id int64, text string, err error) {
	may := t.Scope.Permissions()
	for _, p := range t.More {
		if !slices.Contains(Permissions, p) {
			return 0, "", fault.New(fault.BadInput, "there is no permission %.40q; there are %s", p,
				joinPermissions(Permissions, ", "))
		}
		if !slices.Contains(may, p) {
			may = append(may, p)
		}
	}
	text, hash := secretText()
	var expires any
	if t.Life > 0 {
		expires = db.Micros(s.db.Now().Add(t.Life))
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO token (hash, label, scope, permissions, project, person, created, expires) VALUES (?,?,?,?,?,?,?,?)",
			hash, t.Label, string(t.Scope), joinPermissions(may, " "), db.NullID(t.Project), db.NullID(t.Person),
			db.Micros(s.db.Now()), expires)
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "token created", Target: tokenName(id, t.Label),
			After: tokenState{t.Scope, may}})
	})
	return id, text, err
}

// tokenState is what the audit holds of a token.
type tokenState struct {
	Scope       Scope        `json:"scope"`
	Permissions []Permission `json:"permissions"`
}

func tokenName(id int64, label string) string { return fmt.Sprintf("token %d (%s)", id, label) }

func joinPermissions(list []Permission, by string) string {
	var out []string
	for _, p := range list {
		out = append(out, string(p))
	}
	return strings.Join(out, by)
}

func splitPermissions(text string) (out []Permission) {
	for _, p := range strings.Fields(text) {
		out = append(out, Permission(p))
	}
	return out
}

// GrantOfToken is what a token allows; fault.Unauthorized when it is not known
// or has run out.
func (s *Store) GrantOfToken(ctx context.Context, text string) (*Grant, error) {
	var g Grant
	var project, person, expires, used sql.NullInt64
	var scope, permissions string
	err := db.FirstInto(ctx, s.db, db.Into{"id": &g.Token, "label": &g.Label, "scope": &scope,
		"permissions": &permissions, "project": &project, "person": &person, "expires": &expires, "last_used": &used}, "SELECT id, label, scope, permissions, project, person, expires, last_used FROM token WHERE hash=?", hashSecret(text))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.Unauthorized, "this token is not known; firethorn login remembers another")
	}
	if err != nil {
		return nil, err
	}
	now := db.Micros(s.db.Now())
	if expires.Valid && expires.Int64 < now {
		return nil, fault.New(fault.Unauthorized,
			"this token has run out; make a new one: firethorn token create LABEL")
	}
	g.Scope, g.Project, g.Permissions = Scope(scope), project.Int64, splitPermissions(permissions)
	if now-used.Int64 > time.Minute.Microseconds() {
		if _, err := s.db.ExecContext(ctx, "UPDATE token SET last_used=? WHERE id=?", now, g.Token); err != nil {
			return nil, err
		}
	}
	if person.Valid {
		g.Person, err = scanPerson(s.db.QueryRowContext(ctx, personByID, person.Int64))
		if err == nil && !g.Person.Here() {
			return nil, fault.New(fault.Unauthorized, "%s left; this token is good for nothing any more", g.Person.Name)
		}
	}
	return &g, err
}

// Tokens lists all tokens, the newest first.
func (s *Store) Tokens(ctx context.Context) (out []*TokenRow, err error) {
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var t TokenRow
		var scope, permissions string
		var created int64
		var expires, used sql.NullInt64
		if err := db.ScanNames(r,
			db.Into{"id": &t.ID, "label": &t.Label, "scope": &scope, "permissions": &permissions, "project": &t.Project,
				"person": &t.Person, "created": &created, "expires": &expires, "last_used": &used}); err != nil {
			return err
		}
		t.Scope, t.Permissions, t.Created = Scope(scope), splitPermissions(permissions), db.FromMicros(created)
		if expires.Valid {
			t.Expires = db.FromMicros(expires.Int64)
		}
		if used.Valid {
			t.LastUsed = db.FromMicros(used.Int64)
		}
		out = append(out, &t)
		return nil
	}, "SELECT t.id, t.label, t.scope, t.permissions, COALESCE(p.name,'') AS project, COALESCE(w.name,'') AS person, t.created, t.expires, t.last_used"+
		" FROM token t LEFT JOIN project p ON p.id=t.project LEFT JOIN person w ON w.id=t.person ORDER BY t.id DESC")
}

// RevokeToken ends a token.
func (s *Store) RevokeToken(ctx context.Context, id int64) error {
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		var label, scope, permissions string
		err := tx.QueryRowContext(ctx, "SELECT label, scope, permissions FROM token WHERE id=? FOR UPDATE",
			id).Scan(&label,
			&scope, &permissions)
		if errors.Is(err, sql.ErrNoRows) {
			return fault.New(fault.NotFound, "there is no token %d; firethorn token list shows them", id)
		}
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM token WHERE id=?", id); err != nil {
			return err
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "token revoked", Target: tokenName(id, label),
			Before: tokenState{Scope(scope), splitPermissions(permissions)}})
	})
}
