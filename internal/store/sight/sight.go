// Package sight filters rows in SQL by the projects that a person may see.
package sight

import "firethorn/internal/core/access"

// Sight is the set of projects that a person sees. The zero value sees none.
type Sight struct {
	all    bool
	person int64
	role   access.Role
	token  int64
}

// All sees every project.
var All = Sight{all: true}

// OfPerson sees the projects in which a person has at least a role, by themselves or
// by a team.
func OfPerson(person int64, least access.Role) Sight { return Sight{person: person, role: least} }

// Within sees of these projects only those that a token was made for.
func (s Sight) Within(token int64) Sight {
	s.token = token
	return s
}

// SeesAll says whether nothing is filtered.
func (s Sight) SeesAll() bool { return s.all && s.token == 0 }

// TakesPart is a condition on a column that holds the id of a person or a team: that
// they have a role in a project, or are a team of such. Its arguments are the
// project's id, three times.
func TakesPart(column string) string {
	return "(" + column + " IN (SELECT r.person FROM project_role r WHERE r.project IN (0,?)) OR " +
		column + " IN (SELECT m.person FROM project_role r JOIN team_member m ON m.team=r.person WHERE r.project IN (0,?)) OR " +
		column + " IN (SELECT m.team FROM team_member m JOIN project_role r ON r.person=m.person AND r.project IN (0,?)))"
}

// Where is a condition on a column that holds a project's id, with its arguments.
func (s Sight) Where(column string) (cond string, args []any) {
	switch {
	case s.all:
		cond = "1=1"
	case s.person == 0:
		return "1=0", nil
	default:
		cond = "(" + column + " IN (SELECT r.project FROM project_role r WHERE r.person=? AND r.role>=?) OR " +
			column + " IN (SELECT r.project FROM team_member m JOIN project_role r ON r.person=m.team AND r.role>=? WHERE m.person=?))"
		args = []any{s.person, int(s.role), int(s.role), s.person}
	}
	if s.token != 0 {
		cond += " AND " + column + " IN (SELECT t.project FROM token_project t WHERE t.token=?)"
		args = append(args, s.token)
	}
	return cond, args
}
