package overview

import (
	"context"
	"database/sql"
	"slices"

	"firethorn/internal/core/owners"
	"firethorn/internal/db"
	"firethorn/internal/store/sight"
)

// Carriers lists who has a role in a project, people and teams, with the impact of
// the open issues that each has in the projects that a person sees; if there are
// many, some seconds ago.
func (s *Service) Carriers(ctx context.Context, project int64, seen sight.Sight) ([]owners.Person, error) {
	return s.carriers.Get(carriersOf{project, seen}, func() ([]owners.Person, error) {
		return s.countCarriers(ctx, project, seen)
	})
}

// carriersOf is a question to Carriers: about which people, and who asks.
type carriersOf struct {
	project int64
	seen    sight.Sight
}

func (s *Service) countCarriers(ctx context.Context, project int64, seen sight.Sight) (list []owners.Person,
	err error) {
	where, args := seen.Where("l.project")
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var p owners.Person
		err := r.Scan(&p.Name, &p.Email, &p.Team, &p.Load)
		list = append(list, p)
		return err
	}, "SELECT p.name, COALESCE(p.email,''), p.team, COALESCE((SELECT SUM(l.impact)/10 FROM issue_list l FORCE INDEX (carried) WHERE l.owner=p.id AND l.state IN ('new','accepted','regressed') AND "+where+"), 0) FROM person p WHERE p.left_at IS NULL"+
		" AND "+sight.TakesPart("p.id")+" ORDER BY p.name", append(args, project, project, project)...)
	return list, err
}

// FixedBefore lists for each of some issues who called it fixed, or whose commit
// did, the last first.
func (s *Service) FixedBefore(ctx context.Context, issues []int64) (map[int64][]string, error) {
	out := map[int64][]string{}
	if len(issues) == 0 {
		return out, nil
	}
	var args []any
	for _, id := range slices.Concat(issues, issues) {
		args = append(args, id)
	}
	in := db.Marks(len(issues))
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var name string
		err := r.Scan(&id, &name)
		out[id] = append(out[id], name)
		return err
	}, "SELECT x.issue, x.name FROM (SELECT id issue, fix_by name, 1<<62 at FROM issue WHERE id IN ("+in+") AND fix_by<>''"+
		" UNION ALL SELECT issue, actor, MAX(id) FROM history WHERE issue IN ("+in+") AND kind='fix' AND undone=0 AND actor_kind='person' GROUP BY issue, actor) x"+
		" GROUP BY x.issue, x.name ORDER BY MAX(x.at) DESC", args...)
}
