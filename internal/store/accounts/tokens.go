package accounts

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
)

// TokenLife is how long a token lives by default.
const TokenLife = 90 * 24 * time.Hour

// NewToken is what a token is made of.
type NewToken struct {
	Label    string
	Scope    string // the name of the kind, or admin
	Kind     access.Kind
	Given    []access.Permission
	Projects []int64 // none: all
	Person   int64   // 0: nobody's
	Maker    string
	Life     time.Duration // 0: for ever
}

// TokenRow is a token as it is listed.
type TokenRow struct {
	ID          int64
	Label       string
	Scope       string
	Kind        access.Kind
	Given       []access.Permission
	Projects    []string // none: all
	Person      string   // "": nobody's
	Maker       string
	Created     time.Time
	Expires     time.Time // zero: never
	LastUsed    time.Time // zero: not yet
	LastAddress string
	Before      bool      // older than roles
	OldUntil    time.Time // until when the text before a rotation is good; zero: it is not
}

// Warning is the risk of a token; "" when there is none.
func (t *TokenRow) Warning() string {
	switch {
	case t.Before && t.Scope != string(access.Administer) && t.Kind != access.KindBuild:
		return "older than roles: it may what it could before, whatever its person may now. firethorn token rotate binds it to roles"
	case t.Kind == access.KindBuild && slices.Contains(t.Given, access.PushRules):
		return "a build token that may change rules: who has it can stop events from being stored"
	case t.Expires.IsZero():
		return "never runs out"
	}
	return ""
}

// checkGiven refuses permissions that cannot be given, or not to a kind of token.
func checkGiven(kind access.Kind, given []access.Permission) error {
	if len(given) == 0 {
		return problem.New(problem.BadInput, "a token of the kind %s needs at least one permission: %s", kind,
			access.Join(access.Givable, ", "))
	}
	for _, p := range given {
		if !slices.Contains(access.Givable, p) && p != access.Administer {
			return problem.New(problem.BadInput, "there is no permission %.40q; there are %s", p,
				access.Join(access.Givable, ", "))
		}
		if kind == access.KindBuild && access.Reads(p) {
			return problem.New(problem.BadInput, "a build token cannot have %s: builds must not be able to read events. Make one of another kind: --scope read, or --scope service --permission %s", p, p)
		}
	}
	return nil
}

// CreateToken makes a token; its text is given here and never again.
func (s *TokenStore) CreateToken(ctx context.Context, t NewToken) (id int64, text string, err error) {
	if err := checkGiven(t.Kind, t.Given); err != nil {
		return 0, "", err
	}
	text, hash := secretText()
	var expires any
	if t.Life > 0 {
		expires = db.Micros(s.db.Now().Add(t.Life))
	}
	// The column project is read by the version before this one.
	var only int64
	if len(t.Projects) > 0 {
		only = t.Projects[0]
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO token (hash, label, scope, kind, permissions, project, person, maker, created, expires, before_roles) VALUES (?,?,?,?,?,?,?,?,?,?,0)",
			hash, t.Label, t.Scope, string(t.Kind), access.Join(t.Given, " "), db.NullID(only), db.NullID(t.Person),
			t.Maker, db.Micros(s.db.Now()), expires)
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		for _, p := range t.Projects {
			if _, err := tx.ExecContext(ctx, "INSERT INTO token_project (token, project) VALUES (?,?)", id,
				p); err != nil {
				return err
			}
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "token created", Target: tokenName(id, t.Label),
			After: tokenState{t.Scope, t.Given}})
	})
	return id, text, err
}

// tokenState is what the audit holds of a token.
type tokenState struct {
	Scope       string              `json:"scope"`
	Permissions []access.Permission `json:"permissions"`
}

func tokenName(id int64, label string) string { return fmt.Sprintf("token %d (%s)", id, label) }

// TokensOf says which tokens a person sees, or may change: all, or their own and those
// without a person whose projects they all maintain.
type TokensOf struct {
	All    bool
	Builds bool // and all build tokens of nobody
	Person int64
}

// where is a condition on the rows of the table token, named t.
func (o TokensOf) where() (string, []any) {
	if o.All {
		return "1=1", nil
	}
	const maintained = "x.project IN (SELECT r.project FROM project_role r WHERE r.person=? AND r.role=3)" +
		" OR x.project IN (SELECT r.project FROM team_member m JOIN project_role r ON r.person=m.team AND r.role=3 WHERE m.person=?)" +
		" OR EXISTS (SELECT 1 FROM project_role r WHERE r.project=0 AND r.role=3 AND (r.person=? OR r.person IN (SELECT m.team FROM team_member m WHERE m.person=?)))"
	builds := ""
	if o.Builds {
		builds = " OR t.kind='build' AND t.person IS NULL"
	}
	return "(t.person=?" + builds +
			" OR t.person IS NULL AND EXISTS (SELECT 1 FROM token_project x WHERE x.token=t.id)" +
			" AND NOT EXISTS (SELECT 1 FROM token_project x WHERE x.token=t.id AND NOT (" + maintained + ")))",
		slices.Repeat([]any{o.Person}, 5)
}

// Tokens lists tokens, the newest first.
func (s *TokenStore) Tokens(ctx context.Context, of TokensOf) (out []*TokenRow, err error) {
	where, args := of.where()
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		t, err := scanToken(r)
		out = append(out, t)
		return err
	}, "SELECT t.id, t.label, t.scope, t.kind, t.permissions, COALESCE(w.name,'') AS person, t.maker, t.created, t.expires, t.last_used, t.last_address, t.before_roles, t.old_until"+
		" FROM token t LEFT JOIN person w ON w.id=t.person WHERE "+where+" ORDER BY t.id DESC", args...)
	if err != nil {
		return nil, err
	}
	names := map[int64][]string{}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var name string
		err := r.Scan(&id, &name)
		names[id] = append(names[id], name)
		return err
	}, "SELECT x.token, p.name FROM token_project x JOIN project p ON p.id=x.project ORDER BY p.name")
	for _, t := range out {
		t.Projects = names[t.ID]
	}
	return out, err
}

func scanToken(r *sql.Rows) (*TokenRow, error) {
	t := &TokenRow{}
	var kind, permissions string
	var created, old int64
	var expires, used sql.NullInt64
	if err := db.ScanNames(r, db.Into{"id": &t.ID, "label": &t.Label, "scope": &t.Scope, "kind": &kind,
		"permissions": &permissions, "person": &t.Person, "maker": &t.Maker, "created": &created, "expires": &expires,
		"last_used": &used, "last_address": &t.LastAddress, "before_roles": &t.Before, "old_until": &old}); err != nil {
		return nil, err
	}
	t.Kind, t.Given, t.Created = access.Kind(kind), access.Split(permissions), db.FromMicros(created)
	if kind == "" { // made by the version before, beside this one
		t.Kind = access.Kind(strings.Replace(t.Scope, string(access.Administer), string(access.KindService), 1))
	}
	for from, to := range map[sql.NullInt64]*time.Time{expires: &t.Expires, used: &t.LastUsed,
		{Int64: old, Valid: old > 0}: &t.OldUntil} {
		if from.Valid {
			*to = db.FromMicros(from.Int64)
		}
	}
	return t, nil
}

// lockToken reads a token that is about to change.
func lockToken(ctx context.Context, tx *sql.Tx, id int64, of TokensOf) (label string, st tokenState,
	created int64, expires sql.NullInt64, err error) {
	where, args := of.where()
	var permissions string
	err = tx.QueryRowContext(ctx, "SELECT t.label, t.scope, t.permissions, t.created, t.expires FROM token t WHERE t.id=? AND "+where+" FOR UPDATE",
		append([]any{id}, args...)...).Scan(&label, &st.Scope, &permissions, &created, &expires)
	if errors.Is(err, sql.ErrNoRows) {
		err = problem.New(problem.NotFound, "there is no token %d; firethorn token list shows them", id)
	}
	st.Permissions = access.Split(permissions)
	return label, st, created, expires, err
}

// RevokeToken ends a token.
func (s *TokenStore) RevokeToken(ctx context.Context, id int64, of TokensOf) error {
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		label, st, _, _, err := lockToken(ctx, tx, id, of)
		if err != nil {
			return err
		}
		for _, q := range []string{"DELETE FROM token_project WHERE token=?", "DELETE FROM token WHERE id=?"} {
			if _, err := tx.ExecContext(ctx, q, id); err != nil {
				return err
			}
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "token revoked", Target: tokenName(id, label),
			Before: st})
	})
}

// Rotated is a token with another text.
type Rotated struct {
	Label, Scope, Text string
	Expires            time.Time // zero: never
	OldUntil           time.Time // the text before is good until then; zero: no more
}

// RotateToken gives a token another text, and lets it live as long again as it was
// made for. The text before stays good for the overlap. A token that is older than
// roles is bound to them from now on.
func (s *TokenStore) RotateToken(ctx context.Context, id int64, overlap time.Duration, of TokensOf) (*Rotated, error) {
	text, hash := secretText()
	out := &Rotated{Text: text}
	now := s.db.Now().UTC().Truncate(time.Microsecond)
	if overlap > 0 {
		out.OldUntil = now.Add(overlap)
	}
	return out, s.db.InTx(ctx, func(tx *sql.Tx) error {
		label, st, created, expires, err := lockToken(ctx, tx, id, of)
		if err != nil {
			return err
		}
		out.Label, out.Scope = label, st.Scope
		var until any
		if expires.Valid {
			out.Expires = now.Add(time.Duration(expires.Int64-created) * time.Microsecond)
			until = db.Micros(out.Expires)
		}
		old := int64(0)
		if overlap > 0 {
			old = db.Micros(out.OldUntil)
		}
		if _, err := tx.ExecContext(ctx, "UPDATE token SET old_hash=hash, old_until=?, hash=?, created=?, expires=?, before_roles=0 WHERE id=?",
			old, hash, db.Micros(now), until, id); err != nil {
			return err
		}
		return audit.Record(ctx, tx, now, audit.Act{Action: "token rotated", Target: tokenName(id, label),
			After: map[string]any{"old_good_until": out.OldUntil}})
	})
}
