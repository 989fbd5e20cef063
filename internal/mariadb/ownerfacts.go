package mariadb

import (
	"context"
	"database/sql"

	"firethorn/internal/core/owners"
)

// Carriers lists everybody who works here, and the teams, with the impact of the
// open issues that each has, over all projects; where there are many, some seconds
// ago.
func (s *Store) Carriers(ctx context.Context) ([]owners.Person, error) {
	return s.carriers.get(0, func() ([]owners.Person, error) { return s.countCarriers(ctx) })
}

func (s *Store) countCarriers(ctx context.Context) (list []owners.Person, err error) {
	err = each(ctx, s.db, func(r *sql.Rows) error {
		var p owners.Person
		err := r.Scan(&p.Name, &p.Email, &p.Team, &p.Load)
		list = append(list, p)
		return err
	}, "SELECT p.name, COALESCE(p.email,''), p.team, COALESCE((SELECT SUM(l.impact)/10 FROM issue_list l FORCE INDEX (carried) WHERE l.owner=p.id AND l.state IN ('new','accepted','regressed')), 0) FROM person p WHERE p.left_at IS NULL ORDER BY p.name")
	return list, err
}

// FixedBefore lists who called an issue fixed, or whose commit did, the last first.
func (s *Store) FixedBefore(ctx context.Context, id int64) ([]string, error) {
	return texts(ctx, s.db, "SELECT x.name FROM (SELECT fix_by name, 1<<62 at FROM issue WHERE id=? AND fix_by<>'' UNION ALL SELECT actor, MAX(id) FROM history WHERE issue=? AND kind='fix' AND actor_kind='person' GROUP BY actor) x GROUP BY x.name ORDER BY MAX(x.at) DESC LIMIT 5", id, id)
}
