package triage

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/shell"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// Carried is what a person has in a project: issues that are open or parked.
type Carried struct {
	Person, Email, Project string
	Team                   bool
	Left                   bool // does not work here any more
	Issues, Parked         int64
	Impact                 float64 // of the open ones, added up
	Oldest                 time.Time
}

// CarriedBy lists workloads in the projects that a person sees, the largest
// first; only of one of them when project is not 0.
func (s *Service) CarriedBy(ctx context.Context, seen sight.Sight, project int64) (list []Carried, err error) {
	where, args := seen.Where("l.project")
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var c Carried
		var oldest int64
		err := db.ScanNames(r,
			db.Into{"person": &c.Person, "email": &c.Email, "team": &c.Team, "gone": &c.Left, "project": &c.Project,
				"issues": &c.Issues, "parked": &c.Parked, "impact": &c.Impact, "oldest": &oldest})
		c.Oldest = db.FromMicros(oldest)
		list = append(list, c)
		return err
	}, // Names are asked for behind the sums: joined to them, the index would be read once for each person.
		"SELECT (SELECT o.name FROM person o WHERE o.id=x.owner) AS person, (SELECT COALESCE(o.email,'') FROM person o WHERE o.id=x.owner) AS email, (SELECT o.team FROM person o WHERE o.id=x.owner) AS team, (SELECT o.left_at IS NOT NULL FROM person o WHERE o.id=x.owner) AS gone, (SELECT p.name FROM project p WHERE p.id=x.project) AS project,"+
			" SUM(IF(x.state='parked',0,x.n)) AS issues, SUM(IF(x.state='parked',x.n,0)) AS parked, SUM(IF(x.state='parked',0,x.impact))/10 AS impact, MIN(x.oldest) AS oldest FROM"+
			" (SELECT l.owner, l.project, l.state, COUNT(*) n, SUM(l.impact) impact, MIN(l.first_seen) oldest FROM issue_list l FORCE INDEX (carried)"+
			" WHERE l.owner IS NOT NULL AND l.state IN ('new','accepted','regressed','parked') AND (?=0 OR l.project=?) AND "+where+" GROUP BY l.owner, l.project, l.state) x GROUP BY x.owner, x.project ORDER BY 8 DESC, 1",
		append([]any{project, project}, args...)...)
	return list, err
}

// HandedIn counts what was handed over in a project.
type HandedIn struct {
	Project *projects.Project
	Done    *ManyDone
}

// HandOver gives all that a person has in some projects, open or parked, to another
// one: in each as one decision that can be undone. Nothing is handed over where the
// other one has no part in one of them.
func (s *Service) HandOver(ctx context.Context, list []*projects.Project, from, to *accounts.Person, why string,
	who accounts.Actor) (out []HandedIn, err error) {
	if from.ID == to.ID {
		return nil, problem.New(problem.BadInput, "%s has them already", to.Name)
	}
	if why == "" {
		why = fmt.Sprintf("handed over by %s", from.Name)
	}
	held := map[*projects.Project]Many{}
	for _, p := range list {
		m, err := s.heldBy(ctx, p, from)
		if err != nil {
			return nil, err
		}
		if len(m.Numbers) == 0 {
			continue
		}
		takes, err := s.accounts.TakesPart(ctx, to.ID, p.ID)
		if err != nil {
			return nil, err
		}
		if !takes {
			return nil, problem.New(problem.Conflict, "%s has issues in %s, where %s has no role; nothing was handed over. Give them one first: firethorn member set %s member --project %s",
				from.Name, p.Name, to.Name, shell.Arguments(to.Name), p.Name)
		}
		held[p] = m
	}
	for _, p := range list {
		m, ok := held[p]
		if !ok {
			continue
		}
		done, err := s.ActMany(ctx, p, m, issue.Action{Verb: issue.Assign, To: to.Name}, why, who)
		if err != nil {
			return out, err
		}
		out = append(out, HandedIn{p, done})
	}
	return out, nil
}

// heldBy are a person's issues in a project, open or parked.
func (s *Service) heldBy(ctx context.Context, p *projects.Project, owner *accounts.Person) (Many, error) {
	m := Many{Numbers: map[int64]int64{}}
	return m, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var number, version int64
		err := r.Scan(&number, &version)
		m.Numbers[number] = version
		return err
	}, "SELECT i.number, i.version FROM issue i WHERE i.owner=? AND i.project=? AND i.state IN ('new','accepted','regressed','parked') AND i.merged_into IS NULL AND i.deleted IS NULL LIMIT ?", owner.ID, p.ID, maxMany)
}
