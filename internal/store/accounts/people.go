package accounts

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/sight"
)

// Person is someone who works with Firethorn, or a team of such: a team can have
// issues, its members get their notices, and nobody signs in as one.
type Person struct {
	ID          int64
	Name, Email string // a team has no address
	Operator    bool   // of the service
	Team        bool
	Created     time.Time
	Left        time.Time // zero: works here
	Members     []string  // of a team, by name
	MergedInto  int64     // the person that they are the same as; 0: nobody

	rolesChanged int64 // another number whenever a role of theirs changes
}

// Here says whether a person still has an account, or a team still exists.
func (p *Person) Here() bool { return p.Left.IsZero() }

// Called says whether a person has a name, an address or a handle, as a whole and
// without regard to case.
func (p *Person) Called(who string) bool {
	handle, at := strings.CutPrefix(who, "@")
	return strings.EqualFold(p.Name, who) || who != "" && strings.EqualFold(p.Email, who) ||
		at && text.Handle(handle, p.Name, p.Email)
}

// AddPerson adds someone.
func (s *Store) AddPerson(ctx context.Context, name, email string, operator bool) (p *Person, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		p, err = s.addPerson(ctx, tx, name, email, operator)
		return err
	})
	return p, err
}

// NewPerson is a person to be added.
type NewPerson struct {
	Name, Email string
	Operator    bool
	Roles       []NewRole
	Life        time.Duration // of the link that they sign in by
}

// InvitePerson adds someone, with a link that signs in once.
func (s *Store) InvitePerson(ctx context.Context, n NewPerson) (p *Person, link string, err error) {
	link, hash := secretText()
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if p, err = s.addPerson(ctx, tx, n.Name, n.Email, n.Operator); err != nil {
			return err
		}
		for _, r := range n.Roles {
			if err := setRole(ctx, tx, s.db.Now(), p, r); err != nil {
				return err
			}
		}
		return s.addLink(ctx, tx, p.ID, hash, n.Life)
	})
	return p, link, err
}

func (s *Store) addPerson(ctx context.Context, tx *sql.Tx, name, email string, operator bool) (*Person, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	name, err := readName(name, "a person")
	if err != nil {
		return nil, err
	}
	if at := strings.IndexByte(email, '@'); at < 1 || at == len(email)-1 || len(email) > 200 ||
		strings.ContainsAny(email, " \x00\n") {
		return nil, problem.New(problem.BadInput, "%q is no e-mail address", email)
	}
	all, err := everybody(ctx, tx)
	if err != nil {
		return nil, err
	}
	if err := lookAlike(name, all); err != nil {
		return nil, err
	}
	_, err = tx.ExecContext(ctx, "INSERT INTO person (name, email, admin, created) VALUES (?,?,?,?)", name, email,
		operator, db.Micros(s.db.Now()))
	if db.Duplicate(err) {
		return nil, problem.New(problem.Conflict, "there is a person %s or with the address %s already", name, email)
	}
	if err != nil {
		return nil, err
	}
	p, err := s.findPerson(ctx, tx, email)
	if err != nil {
		return nil, err
	}
	return p, audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "person added", Target: p.Name, After: stateOf(p)})
}

// personState is a person as the audit log has them.
type personState struct {
	Email    string   `json:"email,omitempty"`
	Operator bool     `json:"operator,omitempty"`
	Members  []string `json:"members,omitempty"` // of a team
	Left     bool     `json:"left,omitempty"`
}

func stateOf(p *Person) personState {
	return personState{Email: p.Email, Operator: p.Operator, Members: p.Members, Left: !p.Here()}
}

const personColumns = "p.id, p.name, COALESCE(p.email,''), p.admin, p.team, p.created, p.left_at, p.merged_into, p.roles_changed"

func scanPerson(r interface{ Scan(...any) error }) (*Person, error) { return scanPersonAnd(r) }

// scanPersonAnd reads a person, and what else the row holds.
func scanPersonAnd(r interface{ Scan(...any) error }, more ...any) (*Person, error) {
	var p Person
	var created int64
	var left, into sql.NullInt64
	own := []any{&p.ID, &p.Name, &p.Email, &p.Operator, &p.Team, &created, &left, &into, &p.rolesChanged}
	err := r.Scan(append(own, more...)...)
	p.MergedInto = into.Int64
	p.Created = db.FromMicros(created)
	if left.Valid {
		p.Left = db.FromMicros(left.Int64)
	}
	return &p, err
}

// FindPerson finds someone, or a team, by name or address, without regard to
// case, by the handle with @ that CODEOWNERS would name them by, or by a
// beginning of the name that only one has.
func (s *Store) FindPerson(ctx context.Context, who string) (*Person, error) {
	return s.findPerson(ctx, s.db, who)
}

func (s *Store) findPerson(ctx context.Context, q db.Querier, who string) (*Person, error) {
	all, err := everybody(ctx, q)
	if err != nil {
		return nil, err
	}
	p, err := among(all, who)
	if p == nil && err == nil {
		err = problem.New(problem.BadInput, "no person is called %q; firethorn person list shows the people, person add NAME EMAIL adds one", who)
	}
	return p, err
}

// among finds a person in a list; nil: nobody has that name.
func among(all []*Person, who string) (*Person, error) {
	same := func(p *Person) *Person { // who was merged goes by the one they were merged into
		i := slices.IndexFunc(all, func(x *Person) bool { return p.MergedInto != 0 && x.ID == p.MergedInto })
		if i >= 0 {
			return all[i]
		}
		return p
	}
	var starts []*Person
	for _, p := range all {
		if p.Called(who) {
			return same(p), nil
		}
		if who != "" && strings.HasPrefix(strings.ToLower(p.Name), strings.ToLower(who)) {
			starts = append(starts, p)
		}
	}
	switch len(starts) {
	case 0:
		return nil, nil
	case 1:
		return same(starts[0]), nil
	}
	return nil, problem.New(problem.BadInput, "%q fits %d people; write the whole name or the address",
		who, len(starts))
}

// FindIn finds a person who takes part in a project, or a team some of whose members
// do, as FindPerson does. It reveals nobody else.
func (s *Store) FindIn(ctx context.Context, who string, id int64, project string) (*Person, error) {
	all, err := db.List(ctx, s.db, func(r *sql.Rows) (*Person, error) { return scanPerson(r) },
		"SELECT "+personColumns+" FROM person p WHERE "+sight.TakesPart("p.id")+
			" AND p.left_at IS NULL OR p.merged_into IS NOT NULL ORDER BY p.name",
		id, id, id)
	if err != nil {
		return nil, err
	}
	p, err := among(all, who)
	if err == nil && (p == nil || !p.Here()) {
		err = problem.New(problem.BadInput, "no person with a role in %s is called %q; firethorn member list --project %s shows the roles, member set gives one",
			project, who, project)
	}
	return p, err
}

// FindHere is FindPerson of those who still work here.
func (s *Store) FindHere(ctx context.Context, who string) (*Person, error) {
	return s.FindHereIn(ctx, s.db, who)
}

// FindHereIn is FindHere within a transaction.
func (s *Store) FindHereIn(ctx context.Context, q db.Querier, who string) (*Person, error) {
	p, err := s.findPerson(ctx, q, who)
	if err == nil && !p.Here() {
		return nil, problem.New(problem.Conflict, "%s left on %s; choose another person: firethorn person list",
			p.Name, p.Left.Format("2006-01-02"))
	}
	return p, err
}

// everybody lists all, teams among them, by name.
func everybody(ctx context.Context, q db.Querier) (out []*Person, err error) {
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		p, err := scanPerson(r)
		out = append(out, p)
		return err
	}, "SELECT "+personColumns+" FROM person p ORDER BY p.name")
}

// Shared says which people and teams a person sees: those who have a role in a
// project that they see, and they themselves.
type Shared struct {
	Seen   sight.Sight // projects
	Person int64       // who asks; 0: nobody
}

// EverybodySees is Shared of those who see all people.
var EverybodySees = Shared{Seen: sight.All}

// People lists the people that a person sees, by name, including those who left.
func (s *Store) People(ctx context.Context, shared Shared) ([]*Person, error) {
	all, err := s.some(ctx, shared)
	return slices.DeleteFunc(all, func(p *Person) bool { return p.Team }), err
}

func (s *Store) some(ctx context.Context, shared Shared) ([]*Person, error) {
	if shared.Seen.SeesAll() {
		return everybody(ctx, s.db)
	}
	where, args := shared.Seen.Where("p.id")
	projects, err := db.Numbers(ctx, s.db, "SELECT p.id FROM project p WHERE "+where, args...)
	if err != nil {
		return nil, err
	}
	in := append(projects, Everywhere)
	of, ids := "r.project IN ("+db.Marks(len(in))+")", db.AnyOf(in)
	return db.List(ctx, s.db, func(r *sql.Rows) (*Person, error) { return scanPerson(r) },
		"SELECT "+personColumns+" FROM person p JOIN (SELECT ? AS id UNION SELECT m.team FROM team_member m WHERE m.person=?"+
			" UNION SELECT r.person FROM project_role r WHERE "+of+
			" UNION SELECT m.person FROM project_role r JOIN team_member m ON m.team=r.person WHERE "+of+
			" UNION SELECT m.team FROM team_member m WHERE m.person IN (SELECT r.person FROM project_role r WHERE "+of+")) x ON x.id=p.id ORDER BY p.name",
		slices.Concat([]any{shared.Person, shared.Person}, ids, ids, ids)...)
}
