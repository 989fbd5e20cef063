package find

import (
	"context"
	"database/sql"

	"firethorn/internal/store/audit"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// Attributes lists the names that are searched of a project, and how many names of its
// own there are places for.
func (s *Service) Attributes(ctx context.Context, project int64) (list []segments.Attribute, places int, err error) {
	list, err = s.attributes.List(ctx, project)
	return list, s.attributes.Places(), err
}

// DropAttribute takes the place of a name away, or gives it back.
func (s *Service) DropAttribute(ctx context.Context, p *projects.Project, name string, dropped bool) error {
	action := "attribute dropped"
	if !dropped {
		action = "attribute taken back"
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := s.attributes.Drop(ctx, tx, p.ID, name, dropped); err != nil {
			return err
		}
		return projects.Record(ctx, tx, s.db.Now(), p.ID, audit.Act{Action: action, Target: name})
	})
}
