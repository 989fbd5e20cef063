package regrouping

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

// UndoRegroup takes the last regrouping of a project back: issues it emptied
// are there again, events go to where they were, and what came since goes to
// where it would have gone before. The rules and the grouping version that
// stood before stand again, unless they were changed since. It refuses where
// people merged or split what was regrouped.
func (s *Service) UndoRegroup(ctx context.Context, p *projects.Project, who accounts.Actor) (*Regrouping, error) {
	g, err := s.Regrouping(ctx, p, 0)
	if err != nil {
		return nil, err
	}
	switch {
	case g.State.Works():
		return nil, problem.New(problem.Conflict, "the regrouping that %s began is still under way (%s)", g.Actor.Name,
			g.State)
	case g.State != RegroupDone:
		return nil, problem.New(problem.Conflict, "the last regrouping is %s; there is nothing to undo", g.State)
	}
	as := *p
	if err := s.projects.GiveRules(ctx, &as, g.Rules); err != nil {
		return nil, err
	}
	text, restore := "", as.Rules.GroupsAs(p.Rules) && g.BeforeRules != p.RulesVersion
	if restore {
		if text, err = s.restoredRules(ctx, p, g.BeforeRules); err != nil {
			return nil, err
		}
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		if err := idle(ctx, tx, p); err != nil {
			return err
		}
		if err := s.builtOn(ctx, tx, g); err != nil {
			return err
		}
		if err := s.bringBack(ctx, tx, g, who); err != nil {
			return err
		}
		if err := projects.Record(ctx, tx, s.db.Now(), p.ID, audit.Act{Action: "regrouping taken back",
			Target: fmt.Sprintf("rules %d, version %d", g.Rules, g.Version)}); err != nil {
			return err
		}
		if g.BeforeVers != g.Version && p.GroupingVersion == g.Version {
			if err := projects.WantGrouping(ctx, tx, p.ID, g.BeforeVers); err != nil {
				return err
			}
		}
		if restore {
			note := fmt.Sprintf("the regrouping was undone: grouping as in version %d", g.BeforeRules)
			if g.BeforeRules == 0 {
				note = "the regrouping was undone: no grouping rules, as before"
			}
			f := &projects.RulesFile{At: s.db.Now().UTC(), Actor: who, Note: note, Text: text}
			if _, err := f.Push(ctx, tx, p.ID, p.RulesVersion); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "UPDATE regroup SET state='undoing', undone_by=?, ended=NULL WHERE id=? AND state='done'", who.Name, g.ID)
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.Regrouping(ctx, p, g.ID)
}

// builtOn refuses to undo a regrouping whose issues or variants people merged
// or split since, or that would bring something back to an issue they merged.
func (s *Service) builtOn(ctx context.Context, tx *sql.Tx, g *Regrouping) error {
	const later = "SELECT m.kind, m.from_issue, m.to_issue FROM move m WHERE m.project=? AND m.regroup IS NULL AND m.undone_by IS NULL AND m.kind IN ('merge','follow','join','split') AND m.id>(SELECT COALESCE(MIN(id),0) FROM move WHERE regroup=?) AND" +
		" (EXISTS (SELECT 1 FROM move_variant x JOIN move_variant y ON y.variant=x.variant JOIN move r ON r.id=y.move AND r.regroup=? WHERE x.move=m.id) OR EXISTS (SELECT 1 FROM regroup_issue i WHERE i.regroup=? AND i.issue IN (m.from_issue, m.to_issue))" +
		" OR m.kind IN ('merge','follow','join') AND (EXISTS (SELECT 1 FROM move r WHERE r.regroup=? AND r.from_issue=m.from_issue) OR EXISTS (SELECT 1 FROM regroup_alias a WHERE a.regroup=? AND a.issue=m.from_issue))) ORDER BY m.id DESC LIMIT 1"
	var kind moves.MoveKind
	var from, to int64
	err := tx.QueryRowContext(ctx, later, g.Project, g.ID, g.ID, g.ID, g.ID, g.ID).Scan(&kind, &from, &to)
	if errors.Is(err, sql.ErrNoRows) {
		return s.goneSince(ctx, tx, g)
	}
	if err != nil {
		return err
	}
	if kind == moves.MoveSplit {
		return problem.New(problem.Conflict, "%s was split off from %s since; undo that first",
			s.issues.IssueName(ctx, tx, to), s.issues.IssueName(ctx, tx, from))
	}
	return problem.New(problem.Conflict, "%s was merged into %s since; undo that first",
		s.issues.IssueName(ctx, tx, from),
		s.issues.IssueName(ctx, tx, to))
}

// goneSince refuses to undo a regrouping that an issue was part of which was
// deleted since.
func (s *Service) goneSince(ctx context.Context, tx *sql.Tx, g *Regrouping) error {
	const gone = "SELECT i.id FROM issue i WHERE i.project=? AND i.deleted IS NOT NULL AND (EXISTS (SELECT 1 FROM move r WHERE r.regroup=? AND i.id IN (r.from_issue, r.to_issue)) OR EXISTS (SELECT 1 FROM regroup_issue x WHERE x.regroup=? AND x.issue=i.id)" +
		" OR EXISTS (SELECT 1 FROM regroup_alias a WHERE a.regroup=? AND a.issue=i.id) OR EXISTS (SELECT 1 FROM regroup_variant r JOIN variant v ON v.id=r.variant WHERE r.regroup=? AND v.issue=i.id)) LIMIT 1"
	var id int64
	err := tx.QueryRowContext(ctx, gone, g.Project, g.ID, g.ID, g.ID, g.ID).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	return problem.New(problem.Conflict, "%s was part of it and was deleted since; it can no longer be undone", s.issues.IssueName(ctx, tx, id))
}

// bringBack lists the issues again that were emptied, and lets fingerprints
// lead where they led.
func (s *Service) bringBack(ctx context.Context, tx *sql.Tx, g *Regrouping, who accounts.Actor) error {
	rows := map[int64]string{}
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var id int64
		var text string
		err := r.Scan(&id, &text)
		rows[id] = text
		return err
	}, "SELECT issue, list_row FROM regroup_issue WHERE regroup=? AND made=0", g.ID)
	if err != nil {
		return err
	}
	for id, text := range rows {
		x, err := s.moves.SideByID(ctx, tx, id)
		if err != nil {
			return err
		}
		if err := s.moves.ListAgain(ctx, tx, g.Project, text, x); err != nil {
			return err
		}
		if err := issues.Revive(ctx, tx, id); err != nil {
			return err
		}
		if err := s.moves.AddMoveHistory(ctx, tx, id, nil, who, "undo",
			"undone: its events were regrouped, and come back"); err != nil {
			return err
		}
	}
	for _, q := range []string{
		"DELETE a FROM alias a JOIN regroup_alias r ON r.regroup=? AND r.grouping_version=a.grouping_version AND r.hash=a.hash WHERE a.project=?",
		"INSERT INTO alias (project, grouping_version, hash, issue) SELECT i.project, r.grouping_version, r.hash, r.issue FROM regroup_alias r JOIN issue i ON i.id=r.issue WHERE r.regroup=? AND i.project=?",
	} {
		if _, err := tx.ExecContext(ctx, q, g.ID, g.Project); err != nil {
			return err
		}
	}
	return leadOn(ctx, tx, g)
}

// leadOn lets fingerprints that lead to an issue which people merged, after the
// plan was made and before anything moved, lead to where its number leads.
func leadOn(ctx context.Context, tx *sql.Tx, g *Regrouping) error {
	const on = "UPDATE alias a JOIN regroup_alias r ON r.regroup=? AND r.grouping_version=a.grouping_version AND r.hash=a.hash JOIN issue i ON i.id=a.issue SET a.issue=i.merged_into WHERE a.project=? AND i.merged_into IS NOT NULL"
	for range moves.MaxHops {
		res, err := tx.ExecContext(ctx, on, g.ID, g.Project)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return err
		}
	}
	return nil
}

// back takes the next move back, the last first; after all of them variants are
// what they were, and what came in between is read.
func (w *regrouping) back(ctx context.Context) error {
	return w.s.db.InTx(ctx, func(tx *sql.Tx) error {
		ok, err := w.lock(ctx, tx)
		if err != nil || !ok {
			return err
		}
		m := &moves.Move{Project: w.Project}
		err = tx.QueryRowContext(ctx, "SELECT id, from_issue, to_issue FROM move WHERE regroup=? AND kind=? AND undone_by IS NULL ORDER BY id DESC LIMIT 1", w.ID, string(moves.MoveAnew)).Scan(&m.ID, &m.From, &m.To)
		if errors.Is(err, sql.ErrNoRows) {
			return w.asBefore(ctx, tx)
		}
		if err != nil {
			return err
		}
		return w.takeBack(ctx, tx, m)
	})
}

func (w *regrouping) takeBack(ctx context.Context, tx *sql.Tx, m *moves.Move) error {
	from, err := w.s.moves.SideByID(ctx, tx, m.To)
	if err != nil {
		return err
	}
	to, err := w.s.moves.LeadsTo(ctx, tx, m.From) // people may have merged it while this goes on
	if err != nil {
		return err
	}
	back := &moves.Move{Project: w.Project, Kind: moves.MoveUndo, From: m.To, To: to.ID, Undoes: m.ID, Regroup: w.ID}
	if err := w.s.moves.NewMove(ctx, tx, back, accounts.Actor{Kind: "person", Name: w.UndoneBy}, from, to); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_variant (move, variant) SELECT ?, x.variant FROM move_variant x JOIN variant v ON v.id=x.variant WHERE x.move=? AND v.issue=?", back.ID, m.ID, m.To); err != nil {
		return err
	}
	regressed, err := w.s.moves.RegressByMove(ctx, tx, w.p, back, to)
	if err != nil {
		return err
	}
	if err := w.s.moves.Flip(ctx, tx, back); err != nil {
		return err
	}
	if err := w.s.moves.AddRegression(ctx, tx, w.Project, to.ID, regressed); err != nil {
		return err
	}
	words := fmt.Sprintf("undone: the events that came from %s/%d went back", w.p.Name, to.Number)
	if err := w.s.moves.AddMoveHistory(ctx, tx, from.ID, nil, accounts.Actor{Kind: "person", Name: w.UndoneBy}, "undo",
		words); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE move SET undone_by=? WHERE id=?", back.ID, m.ID); err != nil {
		return err
	}
	return projects.Touch(ctx, tx, w.Project)
}

// asBefore gives variants the hashes and fingerprints they had, some at a time,
// and then goes on to what came in between.
func (w *regrouping) asBefore(ctx context.Context, tx *sql.Tx) error {
	type saved struct {
		id, version int64
		hash        fingerprint.Key
	}
	var list []saved
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var x saved
		var hash []byte
		if err := r.Scan(&x.id, &x.version, &hash); err != nil {
			return err
		}
		x.hash = fingerprint.Key(hash)
		list = append(list, x)
		return nil
	}, "SELECT variant, grouping_version, hash FROM regroup_variant WHERE regroup=? ORDER BY variant LIMIT 500", w.ID)
	if err != nil {
		return err
	}
	for _, x := range list {
		hash := x.hash
		var other int64
		err := tx.QueryRowContext(ctx, "SELECT id FROM variant WHERE project=? AND grouping_version=? AND hash=? AND id<>?", w.Project, x.version, hash[:], x.id).Scan(&other)
		if err == nil {
			hash = w.retired(hash, x.id)
		} else if !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		const restore = "UPDATE variant v JOIN regroup_variant r ON r.regroup=? AND r.variant=v.id SET v.grouping_version=r.grouping_version, v.hash=?, v.fingerprint=r.fingerprint, v.base=r.base, v.base_fingerprint=r.base_fingerprint," +
			" v.looked=r.looked, v.rules_version=r.rules_version, v.parts=r.parts, v.sketched=0 WHERE v.id=?"
		if _, err := tx.ExecContext(ctx, restore, w.ID, hash[:], x.id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM regroup_variant WHERE regroup=? AND variant=?", w.ID,
			x.id); err != nil {
			return err
		}
	}
	if len(list) > 0 {
		return nil
	}
	const next = "UPDATE regroup g SET state='reading', pass=1, at_variant=0, last_variant=(SELECT COALESCE(MAX(id),0) FROM variant WHERE project=g.project), filing=(SELECT filing FROM project_counter WHERE project=g.project) WHERE id=?"
	_, err = tx.ExecContext(ctx, next, w.ID)
	return err
}
