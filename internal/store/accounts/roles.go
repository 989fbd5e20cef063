package accounts

import (
	"context"
	"database/sql"
	"errors"
	"strings"
	"time"

	"firethorn/internal/cache"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/sight"
)

// Everywhere is used as a project's id for all projects, future ones
// too.
const Everywhere = 0

// greatestRole is the greatest role of a person by themselves or by a team, in
// projects selected by a condition on the column r.project. Its arguments are the
// person, those of the condition, and both again.
func greatestRole(cond string) string {
	return "GREATEST(COALESCE((SELECT MAX(r.role) FROM project_role r WHERE r.person=? AND " + cond + "),0)," +
		" COALESCE((SELECT MAX(r.role) FROM team_member m JOIN project_role r ON r.person=m.team AND " + cond + " WHERE m.person=?),0))"
}

// RoleIn is a person's role in a project: by themselves, by their teams, or in all
// projects.
func (s *Store) RoleIn(ctx context.Context, person, project int64) (access.Role, error) {
	return roleIn(ctx, s.db, person, project)
}

func roleIn(ctx context.Context, q db.Querier, person, project int64) (access.Role, error) {
	var role int
	err := q.QueryRowContext(ctx, "SELECT "+greatestRole("r.project IN (0,?)"), person, project, project,
		person).Scan(&role)
	return access.Role(role), err
}

// InTeam says whether a person is in a team.
func (s *Store) InTeam(ctx context.Context, team, person int64) (in bool, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT EXISTS(SELECT 1 FROM team_member WHERE team=? AND person=?)", team,
		person).Scan(&in)
	return in, err
}

// roleKey identifies a known role: a person's since their roles changed last.
type roleKey struct{ person, changed, project int64 }

// RoleOf is RoleIn of a person who has just been read: it is known as long as no role
// of theirs changed, by whatever process.
func (s *Store) RoleOf(ctx context.Context, p *Person, project int64) (access.Role, error) {
	return roleOf(ctx, s.db, s.known, p, project)
}

func roleOf(ctx context.Context, d *db.DB, known *cache.Cache[roleKey, access.Role], p *Person,
	project int64) (access.Role, error) {
	key := roleKey{p.ID, p.rolesChanged, project}
	if role, ok := known.Get(key); ok {
		return role, nil
	}
	role, err := roleIn(ctx, d, p.ID, project)
	if err == nil {
		known.Put(key, role)
	}
	return role, err
}

// TakesPart says whether a person has a role in a project: by themselves, by a team,
// or as a team some of whose members have one.
func (s *Store) TakesPart(ctx context.Context, person, project int64) (takes bool, err error) {
	err = s.db.QueryRowContext(ctx,
		"SELECT EXISTS(SELECT 1 FROM person p WHERE p.id=? AND "+sight.TakesPart("p.id")+")",
		person, project, project, project).Scan(&takes)
	return takes, err
}

// Membership is what a person or a team is in a project.
type Membership struct {
	Person     *Person
	Role       access.Role
	Everywhere bool   // by a role in all projects
	Through    string // the team that gives the role; "": their own
}

// Members lists who has a role in a project, by name: people and teams, and people
// once for each way they have one.
func (s *Store) Members(ctx context.Context, project int64) (list []Membership, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var m Membership
		var role int
		m.Person, err = scanPersonAnd(r, &role, &m.Everywhere, &m.Through)
		m.Role = access.Role(role)
		list = append(list, m)
		return err
	}, "SELECT "+personColumns+", r.role, r.project=0, '' FROM project_role r JOIN person p ON p.id=r.person WHERE r.project IN (0,?) AND p.left_at IS NULL"+
		" UNION ALL SELECT "+personColumns+", r.role, r.project=0, t.name FROM project_role r JOIN person t ON t.id=r.person AND t.team=1 JOIN team_member m ON m.team=t.id JOIN person p ON p.id=m.person WHERE r.project IN (0,?) AND p.left_at IS NULL"+
		" ORDER BY 2, 10 DESC, 11 DESC", project, project)
	return list, err
}

// RolesOf lists a person's roles by the name of the project: by themselves
// and by their teams. everywhere is their role in all projects.
func (s *Store) RolesOf(ctx context.Context, person int64) (roles map[string]access.Role, everywhere access.Role,
	err error) {
	roles = map[string]access.Role{}
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var name string
		var role int
		if err := r.Scan(&name, &role); err != nil {
			return err
		}
		if name == "" {
			everywhere = max(everywhere, access.Role(role))
			return nil
		}
		roles[name] = max(roles[name], access.Role(role))
		return nil
	}, "SELECT COALESCE(p.name,''), x.role FROM (SELECT r.project, r.role FROM project_role r WHERE r.person=?"+
		" UNION ALL SELECT r.project, r.role FROM team_member m JOIN project_role r ON r.person=m.team WHERE m.person=?) x"+
		" LEFT JOIN project p ON p.id=x.project WHERE x.project=0 OR p.id IS NOT NULL", person, person)
	return roles, everywhere, err
}

// RolesOfAll lists the roles that people and teams have by themselves, in the projects
// that a person sees: by their ids and the names of projects; "" is all
// projects.
func (s *Store) RolesOfAll(ctx context.Context, seen sight.Sight) (map[int64]map[string]access.Role, error) {
	out := map[int64]map[string]access.Role{}
	where, args := seen.Where("r.project")
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var person int64
		var name string
		var role int
		err := r.Scan(&person, &name, &role)
		if out[person] == nil {
			out[person] = map[string]access.Role{}
		}
		out[person][name] = access.Role(role)
		return err
	}, "SELECT r.person, COALESCE(p.name,''), r.role FROM project_role r LEFT JOIN project p ON p.id=r.project WHERE r.project=0 OR p.id IS NOT NULL AND "+where, args...)
}

// NewRole is a role to be given in a project.
type NewRole struct {
	Project     int64  // Everywhere: in all
	ProjectName string // for the audit
	Role        access.Role
	Reason      string
}

// roleState is what the audit holds of a role.
type roleState struct {
	Role   string `json:"role"`
	Reason string `json:"reason,omitempty"`
}

// SetRole makes a person, or a team, a viewer, member or maintainer of a project, or
// takes their role away. Their sessions get new secrets.
func (s *Store) SetRole(ctx context.Context, p *Person, n NewRole) error {
	return s.db.InTx(ctx, func(tx *sql.Tx) error { return setRole(ctx, tx, s.db.Now(), p, n) })
}

func setRole(ctx context.Context, tx *sql.Tx, now time.Time, p *Person, n NewRole) error {
	var before int
	err := tx.QueryRowContext(ctx, "SELECT role FROM project_role WHERE person=? AND project=? FOR UPDATE", p.ID,
		n.Project).Scan(&before)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	if access.Role(before) == n.Role {
		return nil
	}
	at := db.Micros(now)
	if n.Role == access.None {
		_, err = tx.ExecContext(ctx, "DELETE FROM project_role WHERE person=? AND project=?", p.ID, n.Project)
	} else {
		_, err = tx.ExecContext(ctx, "INSERT INTO project_role (person, project, role, changed) VALUES (?,?,?,?) ON DUPLICATE KEY UPDATE role=VALUES(role), changed=VALUES(changed)",
			p.ID, n.Project, int(n.Role), at)
	}
	if err != nil {
		return err
	}
	if err := rolesChanged(ctx, tx, at, p.ID); err != nil {
		return err
	}
	where := n.ProjectName
	if n.Project == Everywhere {
		where = "all projects"
	}
	return audit.Record(ctx, tx, now, audit.Act{Action: "role changed", Project: n.ProjectName,
		Target: p.Name + " in " + where, Before: roleState{Role: access.Role(before).String()},
		After: roleState{n.Role.String(), strings.TrimSpace(n.Reason)}})
}

// rolesChanged gives the sessions of a person, or of the members of a team, new
// secrets, and forgets what was known of their roles.
func rolesChanged(ctx context.Context, tx *sql.Tx, now, person int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE person SET roles_changed=GREATEST(roles_changed+1, ?) WHERE id=? OR id IN (SELECT m.person FROM team_member m WHERE m.team=?)",
		now, person, person)
	return err
}

// MadeBy gives the roles that a new project begins with, in the transaction that
// creates it: its maker is a maintainer. A project made by a token without a person is that
// of the operators, so that it is not invisible.
func MadeBy(ctx context.Context, tx *sql.Tx, now time.Time, project int64, name string, maker int64) error {
	cond, args := "p.admin=1", []any{}
	if maker != 0 {
		cond, args = "p.id=?", []any{maker}
	}
	people, err := db.List(ctx, tx, func(r *sql.Rows) (*Person, error) { return scanPerson(r) },
		"SELECT "+personColumns+" FROM person p WHERE "+cond+" AND p.team=0 AND p.left_at IS NULL", args...)
	if err != nil {
		return err
	}
	for _, p := range people {
		if err := setRole(ctx, tx, now, p, NewRole{Project: project, ProjectName: name, Role: access.Maintainer,
			Reason: "the project was created"}); err != nil {
			return err
		}
	}
	return nil
}

// CopyRoles gives a project, which has none yet, the roles of another one.
func CopyRoles(ctx context.Context, tx *sql.Tx, now time.Time, from, to int64) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO project_role (person, project, role, changed) SELECT r.person, ?, r.role, ? FROM project_role r WHERE r.project=?",
		to, db.Micros(now), from)
	return err
}

// SetOperator makes a person an operator of the service, or revokes that. The
// last one stays.
func (s *Store) SetOperator(ctx context.Context, p *Person, operator bool) error {
	if p.Team {
		return problem.New(problem.BadInput, "%s is a team; operators are people", p.Name)
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		if !operator {
			if err := s.otherOperators(ctx, tx, p); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, "UPDATE person SET admin=? WHERE id=?", operator, p.ID); err != nil {
			return err
		}
		if err := rolesChanged(ctx, tx, db.Micros(s.db.Now()), p.ID); err != nil {
			return err
		}
		after := stateOf(p)
		after.Operator = operator
		return audit.Record(ctx, tx, s.db.Now(), audit.Act{Action: "operator changed", Target: p.Name,
			Before: stateOf(p), After: after})
	})
}

// otherOperators refuses what would leave the service without an operator.
func (s *Store) otherOperators(ctx context.Context, tx *sql.Tx, p *Person) error {
	if !p.Operator {
		return nil
	}
	// The lock keeps two operators from letting go of each other at once.
	others, err := db.Numbers(ctx, tx, "SELECT id FROM person WHERE admin=1 AND left_at IS NULL AND id<>? FOR UPDATE",
		p.ID)
	if err == nil && len(others) == 0 {
		err = problem.New(problem.Conflict, "%s is the only operator; make another person an operator first: firethorn person operator NAME", p.Name)
	}
	return err
}
