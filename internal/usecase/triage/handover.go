package triage

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
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

// CarriedBy lists who has what, whoever carries most first; only of one project
// when it is not 0.
func (s *Service) CarriedBy(ctx context.Context, project int64) (list []Carried, err error) {
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
			" WHERE l.owner IS NOT NULL AND l.state IN ('new','accepted','regressed','parked') AND (?=0 OR l.project=?) GROUP BY l.owner, l.project, l.state) x GROUP BY x.owner, x.project ORDER BY 8 DESC, 1", project, project)
	return list, err
}

// HandOver gives all that a person has in a project, open or parked, to another
// one, as one decision that can be undone.
func (s *Service) HandOver(ctx context.Context, p *projects.Project, from, to *accounts.Person, why string,
	who accounts.Actor) (*ManyDone, error) {
	if from.ID == to.ID {
		return nil, fault.New(fault.BadInput, "%s has them already", to.Name)
	}
	m := Many{Numbers: map[int64]int64{}}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var number, version int64
		err := r.Scan(&number, &version)
		m.Numbers[number] = version
		return err
	}, "SELECT i.number, i.version FROM issue i WHERE i.owner=? AND i.project=? AND i.state IN ('new','accepted','regressed','parked') AND i.merged_into IS NULL AND i.deleted IS NULL LIMIT ?", from.ID, p.ID, mostMany)
	if err != nil || len(m.Numbers) == 0 {
		return &ManyDone{}, err
	}
	if why == "" {
		why = fmt.Sprintf("handed over by %s", from.Name)
	}
	return s.ActMany(ctx, p, m, issue.Action{Verb: issue.Assign, To: to.Name}, why, who)
}
