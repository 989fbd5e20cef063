package moves

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/tickets"
	"firethorn/internal/usecase/status"
)

// UndoMove takes a move back: the variants that it moved, and those that came
// since under its fingerprints, return. It refuses where a later move has
// taken one of them on.
func (s *Service) UndoMove(ctx context.Context, tx *sql.Tx, p *projects.Project, id int64, who accounts.Actor) error {
	m := &Move{Project: p.ID}
	var undone sql.NullInt64
	var beforeTo string
	if err := tx.QueryRowContext(ctx, "SELECT id, kind, from_issue, to_issue, undone_by, before_to FROM move WHERE id=?", id).Scan(&m.ID, &m.Kind, &m.From, &m.To, &undone, &beforeTo); err != nil {
		return err
	}
	if undone.Valid || m.Kind == MoveUndo || m.Kind == moveLate || m.Kind == MoveAnew {
		return problem.New(problem.Conflict, "this %s was undone already", m.Kind)
	}
	if err := s.inTheWay(ctx, tx, p, m); err != nil {
		return err
	}
	from, err := s.SideByID(ctx, tx, m.To)
	if err != nil {
		return err
	}
	to, err := s.SideByID(ctx, tx, m.From)
	if err != nil {
		return err
	}
	back := &Move{Project: p.ID, Kind: MoveUndo, From: m.To, To: m.From, Undoes: m.ID}
	if err := s.NewMove(ctx, tx, back, who, from, to); err != nil {
		return err
	}
	const variants = "INSERT IGNORE INTO move_variant (move, variant) SELECT ?, v.id FROM variant v WHERE v.issue=? AND (v.id IN (SELECT variant FROM move_variant WHERE move=?)" +
		" OR v.project=? AND EXISTS (SELECT 1 FROM move_alias a WHERE a.move=? AND a.grouping_version=v.grouping_version AND a.hash=v.fingerprint))"
	if _, err := tx.ExecContext(ctx, variants, back.ID, m.To, m.ID, p.ID, m.ID); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_alias (move, grouping_version, hash) SELECT ?, grouping_version, hash FROM move_alias WHERE move=?", back.ID, m.ID); err != nil {
		return err
	}
	u := undoing{project: p, undone: m, back: back, from: from, to: to, beforeTo: beforeTo, who: who}
	if m.Kind == MoveSplit {
		err = s.joinAgain(ctx, tx, u)
	} else {
		err = s.partAgain(ctx, tx, u)
	}
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE move SET undone_by=? WHERE id=?", back.ID, m.ID); err != nil {
		return err
	}
	if err := status.TakeMoveBack(ctx, tx, m.ID); err != nil {
		return err
	}
	for _, id := range []int64{m.From, m.To} {
		if err := tickets.Changed(ctx, tx, id, 0, s.db.Now()); err != nil {
			return err
		}
	}
	return projects.Touch(ctx, tx, p.ID)
}

// inTheWay refuses to undo a move that later ones build on, and names the one
// to undo first.
func (s *Service) inTheWay(ctx context.Context, tx *sql.Tx, p *projects.Project, m *Move) error {
	const first = "a later change comes first: %s since; undo that first"
	var into sql.NullInt64
	if err := tx.QueryRowContext(ctx, "SELECT merged_into FROM issue WHERE id=?", m.From).Scan(&into); err != nil {
		return err
	}
	if m.Kind == MoveSplit && into.Valid {
		return problem.New(problem.Conflict, first,
			fmt.Sprintf("%s was merged into %s", s.issues.IssueName(ctx, tx, m.From),
				s.issues.IssueName(ctx, tx, into.Int64)))
	}
	var split, later, laterTo int64
	var kind MoveKind
	const parts = "SELECT m.from_issue, m.to_issue FROM move_alias a JOIN split_alias b ON b.grouping_version=a.grouping_version AND b.hash=a.hash JOIN split s ON s.id=b.split AND s.project=? AND s.active=1 JOIN move m ON m.id=s.move WHERE a.move=? AND m.id>a.move ORDER BY m.id DESC LIMIT 1"
	err := tx.QueryRowContext(ctx, parts, p.ID, m.ID).Scan(&split, &laterTo)
	if err == nil {
		return problem.New(problem.Conflict, first,
			fmt.Sprintf("%s was split off from %s", s.issues.IssueName(ctx, tx, laterTo),
				s.issues.IssueName(ctx, tx, split)))
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	// A variant, or a fingerprint, that another move has taken on.
	const taken = "SELECT l.move, o.to_issue, o.kind FROM move_variant mv JOIN variant v ON v.id=mv.variant JOIN move_variant l ON l.variant=mv.variant AND l.move>mv.move JOIN move o ON o.id=l.move WHERE mv.move=? AND v.issue<>?" +
		" UNION ALL SELECT l.move, o.to_issue, o.kind FROM move_alias ma JOIN alias a ON a.project=? AND a.grouping_version=ma.grouping_version AND a.hash=ma.hash JOIN move_alias l ON l.grouping_version=ma.grouping_version AND l.hash=ma.hash AND l.move>ma.move JOIN move o ON o.id=l.move AND o.project=? WHERE ma.move=? AND a.issue<>?" +
		" ORDER BY 1 DESC LIMIT 1"
	err = tx.QueryRowContext(ctx, taken, m.ID, m.To, p.ID, p.ID, m.ID, m.To).Scan(&later, &laterTo, &kind)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	if kind == MoveAnew {
		return problem.New(problem.Conflict, "the stored events were regrouped since; take that back first: firethorn group undo --project %s", p.Name)
	}
	if kind == moveLate {
		return problem.New(problem.Conflict, "symbols came since, and events went on to %s where they belong; what is there stays", s.issues.IssueName(ctx, tx, laterTo))
	}
	return problem.New(problem.Conflict, first,
		fmt.Sprintf("%s was merged into %s", s.issues.IssueName(ctx, tx, m.To), s.issues.IssueName(ctx, tx, laterTo)))
}

// undoing is a move that is undone by another one, between the same issues.
type undoing struct {
	project      *projects.Project
	undone, back *Move
	from, to     *Side  // of back
	beforeTo     string // what the target of a merge was before
	who          accounts.Actor
}

// partAgain takes a merge back: what was merged away is an issue again.
func (s *Service) partAgain(ctx context.Context, tx *sql.Tx, u undoing) error {
	if err := s.reviveRow(ctx, tx, u.undone, u.to); err != nil {
		return err
	}
	if err := s.Flip(ctx, tx, u.back); err != nil {
		return err
	}
	if err := issues.Revive(ctx, tx, u.to.ID); err != nil {
		return err
	}
	if err := s.restoreTarget(ctx, tx, u.project.ID, u.from, u.beforeTo); err != nil {
		return err
	}
	if err := s.AddMoveHistory(ctx, tx, u.from.ID, nil, u.who, "undo",
		fmt.Sprintf("undone: %s/%d is an issue of its own again", u.project.Name, u.to.Number)); err != nil {
		return err
	}
	return s.AddMoveHistory(ctx, tx, u.to.ID, nil, u.who, "undo",
		fmt.Sprintf("undone: no longer merged into %s/%d", u.project.Name, u.from.Number))
}

// joinAgain takes a split back: what was taken out returns, and new events stay
// together. The number of the part leads back, unless other issues were merged
// into it since.
func (s *Service) joinAgain(ctx context.Context, tx *sql.Tx, u undoing) error {
	regressed, err := s.RegressByMove(ctx, tx, u.project, u.back, u.to)
	if err != nil {
		return err
	}
	if err := s.Flip(ctx, tx, u.back); err != nil {
		return err
	}
	if err := s.joinSpans(ctx, tx, u.back); err != nil {
		return err
	}
	if err := endSplit(ctx, tx, u.project.ID, u.undone); err != nil {
		return err
	}
	empty, err := issues.Empty(ctx, tx, u.from.ID)
	if err != nil {
		return err
	}
	if empty {
		if err := issues.LeadTo(ctx, tx, u.from.ID, u.to.ID); err != nil {
			return err
		}
	}
	if err := s.AddRegression(ctx, tx, u.project.ID, u.to.ID, regressed); err != nil {
		return err
	}
	if err := s.AddMoveHistory(ctx, tx, u.to.ID, nil, u.who, "undo",
		fmt.Sprintf("undone: %s/%d is no longer split off", u.project.Name, u.from.Number)); err != nil {
		return err
	}
	return s.AddMoveHistory(ctx, tx, u.from.ID, nil, u.who, "undo",
		fmt.Sprintf("undone: no longer split off from %s/%d", u.project.Name, u.to.Number))
}

// endSplit lets new events stay together. What earlier moves have moved, the
// parts that came of it go with from now on.
func endSplit(ctx context.Context, tx *sql.Tx, project int64, m *Move) error {
	var id int64
	if err := tx.QueryRowContext(ctx, "SELECT id FROM split WHERE move=?", m.ID).Scan(&id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE split SET active=0 WHERE id=?", id); err != nil {
		return err
	}
	var rows [][]any
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var earlier, version int64
		var hash []byte
		if err := r.Scan(&earlier, &version, &hash); err != nil {
			return err
		}
		part := fingerprint.Key(hash).Part(id)
		rows = append(rows, []any{earlier, version, part[:]})
		return nil
	}, "SELECT a.move, a.grouping_version, a.hash FROM split_alias s JOIN move_alias a ON a.grouping_version=s.grouping_version AND a.hash=s.hash JOIN move m ON m.id=a.move WHERE s.split=? AND m.project=? AND m.undone_by IS NULL", id, project)
	if err != nil {
		return err
	}
	return db.InsertRows(ctx, tx, "INSERT IGNORE INTO move_alias (move, grouping_version, hash)", "", rows)
}

// restoreTarget gives a target that regressed by a merge its state back, if
// nobody has decided otherwise since.
func (s *Service) restoreTarget(ctx context.Context, tx *sql.Tx, project int64, x *Side, before string) error {
	var was issues.StatusRow
	if err := json.Unmarshal([]byte(before), &was); err != nil {
		return err
	}
	if was.State != issue.Fixed || x.State != issue.Regressed || was.Fix != x.Fix {
		return nil
	}
	// A release that its own variants were seen in since keeps it regressed.
	const since = "SELECT n.name, MAX(x.last_seen) FROM variant v JOIN issue_release x ON x.variant=v.id AND x.issue=? JOIN app_release n ON n.id=x.app_release" +
		" WHERE v.issue=? AND x.last_seen>(SELECT COALESCE(MAX(at),0) FROM history WHERE issue=? AND kind='fix') GROUP BY n.id"
	entry, err := s.regressedBy(ctx, tx, project, was.Status, since, x.ID, x.ID, x.ID)
	if err != nil || entry != nil {
		return err
	}
	return s.setState(ctx, tx, project, x, was.State)
}

// reviveRow gives the issue that a merge took away its row in the list again;
// its totals come with the variants.
func (s *Service) reviveRow(ctx context.Context, tx *sql.Tx, merge *Move, x *Side) error {
	var text string
	if err := tx.QueryRowContext(ctx, "SELECT list_from FROM move WHERE id=?", merge.ID).Scan(&text); err != nil {
		return err
	}
	return s.ListAgain(ctx, tx, merge.Project, text, x)
}

// ListAgain gives an issue the row in the list that was written down of it.
func (s *Service) ListAgain(ctx context.Context, tx *sql.Tx, project int64, text string, x *Side) error {
	var l listRow
	if err := json.Unmarshal([]byte(text), &l); err != nil {
		return err
	}
	// Rows that have not followed the merge yet still stand under the issue.
	var n rowCounts
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(DISTINCT user) FROM issue_user WHERE issue=?",
		x.ID).Scan(&n.users); err != nil {
		return err
	}
	if err := issues.WindowOf(ctx, tx, x.ID, issues.WindowStart(s.db.Now()), &n.windowEvents,
		&n.windowUsers); err != nil {
		return err
	}
	return s.insertRow(ctx, tx, project, x.ID, x.StatusRow, l, n)
}
