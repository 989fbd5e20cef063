package alerting

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"firethorn/internal/core/quality"
	"firethorn/internal/core/text"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/health"
)

// Look looks at what time causes in a project: whether its newest release is worse than the
// one before, in an environment that a rule names, and whether traces of a release cannot be
// read. Each is said once for each release.
func (s *Service) Look(ctx context.Context, project int64) error {
	p, err := s.Projects.ProjectByID(ctx, project)
	if err != nil {
		return err
	}
	worse, missing := map[string]bool{}, false
	for _, r := range p.Rules.AlertRules() {
		for _, e := range r.Worse {
			worse[e] = true
		}
		missing = missing || r.Missing
	}
	for environment := range worse {
		if err := s.lookWorse(ctx, p, environment); err != nil {
			return err
		}
	}
	if missing {
		return s.lookMissing(ctx, p)
	}
	return nil
}

func (s *Service) lookWorse(ctx context.Context, p *projects.Project, environment string) error {
	known, err := db.Texts(ctx, s.DB, "SELECT name FROM environment WHERE project=? AND name=?", p.ID, environment)
	if err != nil || len(known) == 0 {
		return err
	}
	list, _, err := s.Health.Qualities(ctx, health.Ask{Project: p, Environment: environment})
	if err != nil {
		return err
	}
	for _, r := range list {
		if r.Sessions.Ended() == 0 {
			continue
		}
		if r.Verdict == nil || r.Verdict.Result != quality.Worse {
			return nil
		}
		words := fmt.Sprintf("%s is worse than %s in %s: %s.", r.Version, r.Baseline, environment, r.Verdict.Why)
		return s.once(
			ctx,
			p,
			alerts.Occurrence{What: "release.worse", Scope: environment, Text: words},
			environment+" "+r.Version,
		)
	}
	return nil
}

// lookMissing finds releases with variants that wait for symbols for longer than a moment.
func (s *Service) lookMissing(ctx context.Context, p *projects.Project) error {
	type gap struct {
		release  string
		variants int64
	}
	var list []gap
	err := db.Each(ctx, s.DB, func(r *sql.Rows) error {
		var g gap
		err := r.Scan(&g.release, &g.variants)
		list = append(list, g)
		return err
	}, "SELECT r.name, COUNT(*) FROM variant v FORCE INDEX (provisional) JOIN app_release r ON r.id=v.app_release WHERE v.project=? AND v.provisional=1 AND r.first_seen<? GROUP BY r.id LIMIT 100",
		p.ID, db.Micros(s.DB.Now().Add(-missingAfter)))
	if err != nil {
		return err
	}
	for _, g := range list {
		words := fmt.Sprintf(
			"%s of %s cannot be read because symbols are missing. To see what to push: firethorn symbols check --project %s --release %s",
			text.Counted(g.variants, "trace"),
			g.release,
			p.Name,
			g.release,
		)
		if err := s.once(
			ctx,
			p,
			alerts.Occurrence{What: "symbols.missing", Scope: g.release, Text: words},
			g.release,
		); err != nil {
			return err
		}
	}
	return nil
}

// missingAfter is how long after a release was first seen its symbols are missed.
const missingAfter = 5 * time.Minute

// once writes an occurrence that no issue has, if it was not written before.
func (s *Service) once(ctx context.Context, p *projects.Project, o alerts.Occurrence, scope string) error {
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		now := s.DB.Now()
		first, err := alerts.Once(ctx, tx, p.ID, o.What, scope, now)
		if err != nil || !first {
			return err
		}
		o.Project, o.At, o.Due, o.Who = p.ID, now, now, accounts.Service
		return alerts.Add(ctx, tx, o)
	})
}
