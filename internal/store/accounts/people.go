package accounts

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
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

// AddPerson adds someone.
func (s *Store) AddPerson(ctx context.Context, name, email string, admin bool) (p *Person, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		p, err = s.addPerson(ctx, tx, name, email, admin)
		return err
	})
	return p, err
}

// InvitePerson adds someone, with a link that signs in once and is good for life.
func (s *Store) InvitePerson(ctx context.Context, name, email string, admin bool,
	life time.Duration) (p *Person, link string, err error) {
	link, hash := secretText()
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if p, err = s.addPerson(ctx, tx, name, email, admin); err != nil {
			return err
		}
		return s.addLink(ctx, tx, p.ID, hash, life)
	})
	return p, link, err
}

func (s *Store) addPerson(ctx context.Context, tx *sql.Tx, name, email string, admin bool) (*Person, error) {
	name, email = strings.TrimSpace(name), strings.ToLower(strings.TrimSpace(email))
	if name == "" || utf8.RuneCountInString(name) > 100 || strings.ContainsAny(name, "\x00\n\r\t") {
		return nil, fault.New(fault.BadInput, "a person needs a name of at most 100 characters on one line")
	}
	if at := strings.IndexByte(email, '@'); at < 1 || at == len(email)-1 || len(email) > 200 ||
		strings.ContainsAny(email, " \x00\n") {
		return nil, fault.New(fault.BadInput, "%q is no e-mail address", email)
	}
	_, err := tx.ExecContext(ctx, "INSERT INTO person (name, email, admin, created) VALUES (?,?,?,?)", name, email,
		admin, db.Micros(s.db.Now()))
	if db.Duplicate(err) {
		return nil, fault.New(fault.Conflict, "there is a person %s or with the address %s already", name, email)
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

// personState is what the audit holds of somebody.
type personState struct {
	Email   string   `json:"email,omitempty"`
	Admin   bool     `json:"admin,omitempty"`
	Members []string `json:"members,omitempty"` // of a team
	Left    bool     `json:"left,omitempty"`
}

func stateOf(p *Person) personState {
	return personState{Email: p.Email, Admin: p.Admin, Members: p.Members, Left: !p.Here()}
}

const personColumns = "p.id, p.name, COALESCE(p.email,''), p.admin, p.team, p.created, p.left_at"

func scanPerson(r interface{ Scan(...any) error }) (*Person, error) {
	var p Person
	var created int64
	var left sql.NullInt64
	err := r.Scan(&p.ID, &p.Name, &p.Email, &p.Admin, &p.Team, &created, &left)
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
	var starts []*Person
	handle, at := strings.CutPrefix(who, "@")
	for _, p := range all {
		if strings.EqualFold(p.Name, who) || who != "" && strings.EqualFold(p.Email, who) || at &&
			text.Handle(handle, p.Name, p.Email) {
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
		return nil, fault.New(fault.BadInput, "%q fits %d people; write the whole name or the address", who,
			len(starts))
	}
	return nil, fault.New(fault.BadInput, "nobody is called %q; firethorn person list shows who works here, person add NAME EMAIL adds someone", who)
}

// FindHere is FindPerson of those who still work here.
func (s *Store) FindHere(ctx context.Context, who string) (*Person, error) {
	return s.FindHereIn(ctx, s.db, who)
}

// FindHereIn is FindHere within a transaction.
func (s *Store) FindHereIn(ctx context.Context, q db.Querier, who string) (*Person, error) {
	p, err := s.findPerson(ctx, q, who)
	if err == nil && !p.Here() {
		return nil, fault.New(fault.Conflict, "%s left on %s; choose somebody who works here: firethorn person list",
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

// People lists the people, by name, those who left among them.
func (s *Store) People(ctx context.Context) ([]*Person, error) {
	all, err := everybody(ctx, s.db)
	return slices.DeleteFunc(all, func(p *Person) bool { return p.Team }), err
}
