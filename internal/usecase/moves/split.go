package moves

import (
	"context"
	"database/sql"
	"fmt"
	"slices"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/status"
)

// Split takes the events of an issue that have a difference out into an issue
// of their own, and returns its number. New events follow at once, and variants
// whose key says that all their events have it; kept bodies of the others are
// looked through in the background. It refuses where no kept event has it, or
// all have.
func (s *Service) Split(ctx context.Context, project *projects.Project, number int64, d difference.Difference,
	read Reader, who accounts.Actor) (int64, error) {
	is, err := s.issues.Issue(ctx, project, number)
	if err != nil {
		return 0, err
	}
	var show *Kept
	var settled []int64
	events, having := 0, 0
	err = s.KeptOf(ctx, project, is.ID, read, func(k *Kept) error {
		events++
		if !d.Holds(k.Event, k.Frames) {
			return nil
		}
		having++
		if show == nil || show.position < k.position {
			show = k
		}
		if k.Settled(d) && !slices.Contains(settled, k.variant) {
			settled = append(settled, k.variant)
		}
		return nil
	})
	switch {
	case err != nil:
		return 0, err
	case events == 0:
		return 0, problem.New(
			problem.Conflict,
			"no bodies of events of %s/%d are kept any more, so there is nothing to split by",
			project.Name,
			is.Number,
		)
	case having == 0:
		return 0, problem.New(
			problem.BadInput,
			"no kept event of %s/%d matches (%s); firethorn issue split %s/%d lists what its events differ in",
			project.Name,
			is.Number,
			d.Text(),
			project.Name,
			is.Number,
		)
	case having == events:
		return 0, problem.New(
			problem.BadInput,
			"every kept event of %s/%d matches (%s), so there is nothing to split; firethorn issue split %s/%d lists what its events differ in",
			project.Name,
			is.Number,
			d.Text(),
			project.Name,
			is.Number,
		)
	}
	var made int64
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		var err error
		made, err = s.split(ctx, tx, project, splitting{is.Number, d, show, settled, who})
		return err
	})
	return made, err
}

// splitting is a part that is taken out of an issue.
type splitting struct {
	number  int64 // of the issue
	d       difference.Difference
	show    *Kept   // an event that shows the part
	settled []int64 // variants that go whole
	who     accounts.Actor
}

func (s *Service) split(ctx context.Context, tx *sql.Tx, p *projects.Project, x splitting) (int64, error) {
	var stored int64
	if err := tx.QueryRowContext(ctx, "SELECT filing FROM project_counter WHERE project=? FOR UPDATE", p.ID).
		Scan(&stored); err != nil {
		return 0, err
	}
	from, err := s.loadSide(ctx, tx, p, x.number)
	if err != nil {
		return 0, err
	}
	if from.into != 0 {
		return 0, problem.New(problem.Conflict, "%s/%d was merged into %s in between; split that one", p.Name, x.number,
			s.issues.IssueName(ctx, tx, from.into))
	}
	next, err := projects.NextIssue(ctx, tx, p.ID)
	if err != nil {
		return 0, err
	}
	to, err := s.NewPart(ctx, tx, p, next, ingest.ShownBy(x.show.Print, x.show.Event), x.show.position, x.show.thrown)
	if err != nil {
		return 0, err
	}
	m := &Move{Project: p.ID, Kind: MoveSplit, From: from.ID, To: to.ID}
	if err := s.NewMove(ctx, tx, m, x.who, from, to); err != nil {
		return 0, err
	}
	res, err := tx.ExecContext(
		ctx,
		"INSERT INTO split (project, move, kind, name, value, active, looking, filing) VALUES (?,?,?,?,?,1,1,?)",
		p.ID,
		m.ID,
		string(x.d.Kind),
		x.d.Name,
		x.d.Value,
		stored,
	)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	if err := splitAliases(ctx, tx, m, id); err != nil {
		return 0, err
	}
	if len(x.settled) > 0 {
		args := []any{m.ID, from.ID}
		for _, v := range x.settled {
			args = append(args, v)
		}
		if _, err := tx.ExecContext(
			ctx,
			"INSERT INTO move_variant (move, variant) SELECT ?, id FROM variant WHERE issue=? AND id IN ("+db.Marks(
				len(x.settled),
			)+")",
			args...); err != nil {
			return 0, err
		}
	}
	if err := s.Flip(ctx, tx, m); err != nil {
		return 0, err
	}
	if err := s.AddMoveHistory(ctx, tx, from.ID, m, x.who, "split",
		fmt.Sprintf("split off %s/%d: %s", p.Name, to.Number, x.d.Text())); err != nil {
		return 0, err
	}
	if err := s.AddMoveHistory(ctx, tx, to.ID, m, x.who, "split_off",
		fmt.Sprintf("split off from %s/%d: %s; it was %s", p.Name, from.Number, x.d.Text(),
			issue.Describe(from.Status))); err != nil {
		return 0, err
	}
	return to.Number, projects.Touch(ctx, tx, p.ID)
}

// NewPart makes the issue that a split takes a part out into, shown by an
// event that it will have.
func (s *Service) NewPart(
	ctx context.Context,
	tx *sql.Tx,
	p *projects.Project,
	number int64,
	x issues.Shown,
	position,
	thrown int64,
) (*Side, error) {
	id, err := status.Create(ctx, tx, p.ID, number, s.db.Now())
	if err != nil {
		return nil, err
	}
	l := listRow{
		Headline: x.Headline, Place: x.Place, Message: x.Message, OriginFunction: x.OriginFunction,
		OriginFile: x.OriginFile, OriginLine: x.OriginLine, Severity: x.Severity, Unhandled: x.Unhandled,
		FirstPosition: position, LastPosition: position, FirstSeen: thrown, LastSeen: thrown,
	}
	if err := s.insertRow(ctx, tx, p.ID, id, issues.StatusRow{Status: issue.Status{State: issue.New}}, l,
		rowCounts{}); err != nil {
		return nil, err
	}
	return s.SideByID(ctx, tx, id)
}

// splitAliases notes for which fingerprints a split is: those that lead to the
// issue now. Those of the parts lead to the new one.
func splitAliases(ctx context.Context, tx *sql.Tx, m *Move, split int64) error {
	var bound, parts, moved [][]any
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var version int
		var hash []byte
		if err := r.Scan(&version, &hash); err != nil {
			return err
		}
		k := fingerprint.Key(hash)
		part := k.Part(split)
		bound = append(bound, []any{split, version, k[:]})
		parts = append(parts, []any{m.Project, version, part[:], m.To})
		moved = append(moved, []any{m.ID, version, part[:]})
		return nil
	}, "SELECT grouping_version, hash FROM alias WHERE issue=?", m.From)
	if err != nil {
		return err
	}
	if err := db.InsertRows(
		ctx,
		tx,
		"INSERT INTO split_alias (split, grouping_version, hash)",
		"",
		bound,
	); err != nil {
		return err
	}
	if err := db.InsertRows(
		ctx,
		tx,
		"INSERT INTO alias (project, grouping_version, hash, issue)",
		"",
		parts,
	); err != nil {
		return err
	}
	return db.InsertRows(ctx, tx, "INSERT INTO move_alias (move, grouping_version, hash)", "", moved)
}

// SplitInfo is a split that an issue is a side of.
type SplitInfo struct {
	difference.Difference
	From, To int64 // numbers
	Looking  bool  // kept events are being looked through
	Looked   int64 // how many were
	Stays    int64 // events without a body that stayed where they were
}

// Splits lists the splits, not undone, that took parts out of an issue or made it.
func (s *Service) Splits(ctx context.Context, id int64) (list []SplitInfo, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var x SplitInfo
		err := db.ScanNames(r,
			db.Into{"kind": &x.Kind, "name": &x.Name, "value": &x.Value, "from_number": &x.From, "to_number": &x.To,
				"looking": &x.Looking, "looked": &x.Looked, "stays": &x.Stays})
		list = append(list, x)
		return err
	}, "SELECT s.kind, s.name, s.value, f.number AS from_number, t.number AS to_number, s.looking, s.looked, s.stays FROM (SELECT id FROM move WHERE from_issue=? AND kind='split' UNION SELECT id FROM move WHERE to_issue=? AND kind='split') k"+
		" JOIN move m ON m.id=k.id JOIN split s ON s.move=m.id JOIN issue f ON f.id=m.from_issue JOIN issue t ON t.id=m.to_issue WHERE s.active=1 ORDER BY m.id", id, id)
	return list, err
}
