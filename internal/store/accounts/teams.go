package accounts

import (
	"context"
	"database/sql"
	"slices"
	"strings"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
)

// Teams lists the teams that a person sees with their members, by name.
func (s *Store) Teams(ctx context.Context, shared Shared) ([]*Person, error) {
	all, err := s.some(ctx, shared)
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(p *Person) bool { return !p.Team || !p.Here() })
	return all, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var team int64
		var name string
		err := r.Scan(&team, &name)
		if i := slices.IndexFunc(all, func(p *Person) bool { return p.ID == team }); i >= 0 {
			all[i].Members = append(all[i].Members, name)
		}
		return err
	}, "SELECT m.team, p.name FROM team_member m JOIN person p ON p.id=m.person WHERE p.left_at IS NULL ORDER BY p.name")
}

// AddTeam makes a team of people.
func (s *Store) AddTeam(ctx context.Context, name string, members []string) (*Person, error) {
	name, err := readName(name, "a team")
	if err != nil {
		return nil, err
	}
	if strings.Contains(name, "@") {
		return nil, problem.New(problem.BadInput, "a team's name has no @: its handle begins with one")
	}
	ids, err := s.membersOf(ctx, members)
	if err != nil {
		return nil, err
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		all, err := everybody(ctx, tx)
		if err != nil {
			return err
		}
		if err := lookAlike(name, all); err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, "INSERT INTO person (name, email, team, created) VALUES (?,NULL,1,?)", name,
			db.Micros(s.db.Now()))
		if db.Duplicate(err) {
			return problem.New(problem.Conflict, "there is a person or a team called %s already", name)
		}
		if err != nil {
			return err
		}
		team, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if err := join(ctx, tx, team, ids); err != nil {
			return err
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "team created", Target: name,
			After: personState{Members: members}})
	})
	if err != nil {
		return nil, err
	}
	return s.team(ctx, name)
}

func (s *Store) membersOf(ctx context.Context, list []string) (ids []int64, err error) {
	for _, who := range list {
		p, err := s.FindHere(ctx, who)
		if err != nil {
			return nil, err
		}
		if p.Team {
			return nil, problem.New(problem.BadInput, "%s is a team itself; teams are of people", p.Name)
		}
		ids = append(ids, p.ID)
	}
	return ids, nil
}

func join(ctx context.Context, tx *sql.Tx, team int64, ids []int64) error {
	for _, id := range ids {
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO team_member (team, person) VALUES (?,?)", team,
			id); err != nil {
			return err
		}
	}
	return nil
}

// team finds a team by its name or handle.
func (s *Store) team(ctx context.Context, name string) (*Person, error) {
	p, err := s.FindPerson(ctx, name)
	if err != nil {
		return nil, err
	}
	list, err := s.Teams(ctx, EverybodySees)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(list, func(t *Person) bool { return t.ID == p.ID }); i >= 0 {
		return list[i], nil
	}
	return nil, problem.New(problem.BadInput, "%s is no team; firethorn team list shows those there are", p.Name)
}

// ChangeTeam lets people into a team and others out of it.
func (s *Store) ChangeTeam(ctx context.Context, name string, add, remove []string) (*Person, error) {
	t, err := s.team(ctx, name)
	if err != nil {
		return nil, err
	}
	in, err := s.membersOf(ctx, add)
	if err != nil {
		return nil, err
	}
	var out []int64
	for _, who := range remove {
		p, err := s.FindPerson(ctx, who)
		if err != nil {
			return nil, err
		}
		out = append(out, p.ID)
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		for _, id := range out {
			if _, err := tx.ExecContext(ctx, "DELETE FROM team_member WHERE team=? AND person=?", t.ID,
				id); err != nil {
				return err
			}
		}
		if err := join(ctx, tx, t.ID, in); err != nil {
			return err
		}
		for _, id := range slices.Concat(in, out) {
			if err := rolesChanged(ctx, tx, db.Micros(s.db.Now()), id); err != nil {
				return err
			}
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "team changed", Target: t.Name, Before: stateOf(t),
			After: map[string][]string{"added": add, "removed": remove}})
	})
	if err != nil {
		return nil, err
	}
	return s.team(ctx, t.Name)
}

// Leave closes a person's account, or dissolves a team:
// nothing can be given to them, their tokens and sessions end. What they have
// stays theirs until it is handed over.
func (s *Store) Leave(ctx context.Context, who string) (*Person, error) {
	p, err := s.FindHere(ctx, who)
	if err != nil {
		return nil, err
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := s.otherOperators(ctx, tx, p); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE person SET left_at=? WHERE id=?", db.Micros(s.db.Now()),
			p.ID); err != nil {
			return err
		}
		if err := endAccess(ctx, tx, p.ID); err != nil {
			return err
		}
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "person left", Target: p.Name, Before: stateOf(p),
			After: personState{Email: p.Email, Left: true}})
	})
	if err != nil {
		return nil, err
	}
	return s.FindPerson(ctx, p.Name)
}

// endAccess ends every way by which a person, or a team, gets access.
func endAccess(ctx context.Context, tx *sql.Tx, person int64) error {
	for _, q := range []string{"DELETE FROM web_session WHERE person=?", "DELETE FROM sign_in_link WHERE person=?",
		"DELETE FROM token_project WHERE token IN (SELECT id FROM token WHERE person=?)",
		"DELETE FROM token WHERE person=?", "DELETE FROM team_member WHERE person=?",
		"DELETE FROM team_member WHERE team=?", "DELETE FROM project_role WHERE person=?",
		"DELETE FROM watcher WHERE person=?"} {
		if _, err := tx.ExecContext(ctx, q, person); err != nil {
			return err
		}
	}
	return nil
}

// Return opens a person's account again.
func (s *Store) Return(ctx context.Context, who string) (*Person, error) {
	p, err := s.FindPerson(ctx, who)
	if err != nil {
		return nil, err
	}
	if p.Here() {
		return nil, problem.New(problem.Conflict, "%s works here", p.Name)
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "UPDATE person SET left_at=NULL WHERE id=?", p.ID); err != nil {
			return err
		}
		return audit.Record(ctx, tx, s.db.Now(),
			audit.Act{Action: "person returned", Target: p.Name, Before: stateOf(p)})
	})
	if err != nil {
		return nil, err
	}
	return s.FindPerson(ctx, p.Name)
}
