package moves

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/tickets"
	"firethorn/internal/usecase/status"
)

// MoveKind says why variants moved.
type MoveKind string

// The kinds of move.
const (
	moveMerge MoveKind = "merge"
	MoveSplit MoveKind = "split"
	moveLate  MoveKind = "symbols" // symbols came that made traces readable
	MoveUndo  MoveKind = "undo"
	MoveAnew  MoveKind = "regroup" // stored events were regrouped
)

// Move is variants going from one issue to another: one transaction flips
// their pointers and the totals, derived rows follow in the background.
type Move struct {
	ID, Project, From, To int64
	Kind                  MoveKind
	Undoes                int64
	Regroup               int64 // that it is part of, 0: of none
}

// sides are the two issues of a move, locked.
type Side struct {
	ID, Number, into int64
	issues.StatusRow
}

// Merge moves all variants of issues into another issue. The issues' numbers
// lead there from now on; the target keeps its state, save that it regresses
// when what came was seen in a release that contains its fix.
func (s *Service) Merge(ctx context.Context, project *projects.Project, from []int64, into int64,
	who accounts.Actor) error {
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, project.ID); err != nil {
			return err
		}
		to, err := s.liveSide(ctx, tx, project, into)
		if err != nil {
			return err
		}
		for _, n := range from {
			src, err := s.loadSide(ctx, tx, project, n)
			if err != nil {
				return err
			}
			if src.ID == to.ID {
				return problem.New(problem.BadInput, "%s/%d cannot be merged into itself", project.Name, n)
			}
			if src.into != 0 {
				return problem.New(problem.Conflict, "%s/%d was merged into %s already", project.Name, n,
					s.issues.IssueName(ctx, tx, src.into))
			}
			if err := s.merge(ctx, tx, project, src, to, who); err != nil {
				return err
			}
			if to, err = s.liveSide(ctx, tx, project, to.Number); err != nil { // its state may have changed
				return err
			}
		}
		return projects.Touch(ctx, tx, project.ID)
	})
}

func (s *Service) merge(ctx context.Context, tx *sql.Tx, p *projects.Project, from, to *Side,
	who accounts.Actor) error {
	text := fmt.Sprintf("merged %s/%d into this; it was %s", p.Name, from.Number, issue.Describe(from.Status))
	return s.mergeAs(ctx, tx, p, from, to, because{moveMerge, who, text})
}

// because says why issues are merged: in what way, who merged them, and what the history
// of the target says.
type because struct {
	kind MoveKind
	who  accounts.Actor
	text string
}

// mergeAs moves everything of an issue into another one.
func (s *Service) mergeAs(ctx context.Context, tx *sql.Tx, p *projects.Project, from, to *Side, why because) error {
	m := &Move{Project: p.ID, Kind: why.kind, From: from.ID, To: to.ID}
	if err := s.NewMove(ctx, tx, m, why.who, from, to); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_variant (move, variant) SELECT ?, id FROM variant WHERE issue=?", m.ID, from.ID); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_alias (move, grouping_version, hash) SELECT ?, grouping_version, hash FROM alias WHERE issue=?", m.ID, from.ID); err != nil {
		return err
	}
	if err := s.saveRow(ctx, tx, m); err != nil {
		return err
	}
	regressed, err := s.RegressByMove(ctx, tx, p, m, to)
	if err != nil {
		return err
	}
	if err := s.Flip(ctx, tx, m); err != nil {
		return err
	}
	if err := s.joinSpans(ctx, tx, m); err != nil {
		return err
	}
	if err := issues.LeadTo(ctx, tx, from.ID, to.ID); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO watcher (issue, person) SELECT ?, person FROM watcher WHERE issue=?", to.ID, from.ID); err != nil {
		return err
	}
	if err := s.AddMoveHistory(ctx, tx, to.ID, m, why.who, string(why.kind), why.text); err != nil {
		return err
	}
	if err := s.AddRegression(ctx, tx, m.Project, to.ID, regressed); err != nil {
		return err
	}
	if err := tickets.Changed(ctx, tx, to.ID, 0, s.db.Now()); err != nil { // its own, and those that came
		return err
	}
	return s.AddMoveHistory(ctx, tx, from.ID, m, why.who, "merged_away",
		fmt.Sprintf("merged into %s/%d", p.Name, to.Number))
}

// NewMove writes the move's own row.
func (s *Service) NewMove(ctx context.Context, tx *sql.Tx, m *Move, who accounts.Actor, from, to *Side) error {
	before := func(x *Side) (string, error) {
		raw, err := json.Marshal(x.StatusRow)
		return string(raw), err
	}
	a, err := before(from)
	if err != nil {
		return err
	}
	b, err := before(to)
	if err != nil {
		return err
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO move (project, kind, at, actor_kind, actor, from_issue, to_issue, undoes, regroup, before_from, before_to, following) VALUES (?,?,?,?,?,?,?,?,?,?,?,1)",
		m.Project, string(m.Kind), db.Micros(s.db.Now()), who.Kind, who.Name, m.From, m.To, db.NullID(m.Undoes),
		db.NullID(m.Regroup), a, b)
	if err != nil {
		return err
	}
	if m.ID, err = res.LastInsertId(); err != nil {
		return err
	}
	if err := issues.Reindex(ctx, tx, m.From, m.To); err != nil { // comments go along
		return err
	}
	return issues.MembersChanged(ctx, tx, m.Project)
}

// AddMoveHistory writes an entry of an issue's history that belongs to a move; m
// may be nil.
func (s *Service) AddMoveHistory(ctx context.Context, tx *sql.Tx, id int64, m *Move, who accounts.Actor, kind,
	text string) error {
	line := status.HistoryLine{Entry: issue.Entry{Kind: issue.Kind(kind), Text: text}, Who: who}
	var project int64
	if m != nil {
		line.Move, project = m.ID, m.Project
	}
	return s.status.Record(ctx, tx, project, id, line)
}

// Flip turns the pointers of the move's variants and aliases, and moves the
// totals with them.
func (s *Service) Flip(ctx context.Context, tx *sql.Tx, m *Move) error {
	var events, bodies int64
	const sums = "SELECT COALESCE(SUM(v.events),0), COALESCE(SUM(v.bodies),0) FROM move_variant m JOIN variant v ON v.id=m.variant WHERE m.move=?"
	if err := tx.QueryRowContext(ctx, sums, m.ID).Scan(&events, &bodies); err != nil {
		return err
	}
	for _, q := range []struct {
		text string
		args []any
	}{
		{"UPDATE variant v JOIN move_variant m ON m.variant=v.id SET v.issue=? WHERE m.move=?", []any{m.To, m.ID}},
		{"UPDATE alias a JOIN move_alias m ON m.grouping_version=a.grouping_version AND m.hash=a.hash SET a.issue=? WHERE m.move=? AND a.project=?", []any{m.To, m.ID, m.Project}},
		{"UPDATE issue_list SET events=events-?, bodies=bodies-?, recounting=1 WHERE issue=?", []any{events, bodies, m.From}},
		{"UPDATE issue_list SET events=events+?, bodies=bodies+?, recounting=1 WHERE issue=?", []any{events, bodies, m.To}},
	} {
		if _, err := tx.ExecContext(ctx, q.text, q.args...); err != nil {
			return err
		}
	}
	return nil
}

// joinSpans lets a merge's target begin where the earlier of both began and
// end where the later ended.
func (s *Service) joinSpans(ctx context.Context, tx *sql.Tx, m *Move) error {
	const query = "UPDATE issue_list t JOIN issue_list f ON f.issue=? SET" +
		" t.first_release=IF(f.first_seen<t.first_seen, f.first_release, t.first_release), t.last_release=IF(f.last_seen>t.last_seen, f.last_release, t.last_release)," +
		" t.first_filing=LEAST(t.first_filing, f.first_filing), t.last_filing=GREATEST(t.last_filing, f.last_filing) WHERE t.issue=?"
	// A join's assignments are made in no certain order: releases first, then
	// the times they were chosen by.
	if _, err := tx.ExecContext(ctx, query, m.From, m.To); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "UPDATE issue_list t JOIN issue_list f ON f.issue=? SET t.first_seen=LEAST(t.first_seen, f.first_seen), t.last_seen=GREATEST(t.last_seen, f.last_seen) WHERE t.issue=?", m.From, m.To)
	return err
}

// RegressByMove asks the state machine what the releases of the moved variants
// do to a target that is fixed.
func (s *Service) RegressByMove(ctx context.Context, tx *sql.Tx, p *projects.Project, m *Move,
	to *Side) (*issue.Entry, error) {
	const came = "SELECT n.name, MAX(x.last_seen) FROM move_variant mv JOIN issue_release x ON x.issue=? AND x.variant=mv.variant JOIN app_release n ON n.id=x.app_release WHERE mv.move=? GROUP BY n.id"
	entry, err := s.regressedBy(ctx, tx, p.ID, to.Status, came, m.From, m.ID)
	if err != nil || entry == nil {
		return nil, err
	}
	return entry, s.setState(ctx, tx, p.ID, to, issue.Regressed)
}

// setState changes the state of a side alone; the history speaks of the move.
func (s *Service) setState(ctx context.Context, tx *sql.Tx, project int64, x *Side, st issue.State) error {
	after := x.StatusRow
	after.State = st
	return s.status.Change(ctx, tx, status.Change{Project: project, Issue: x.ID, Before: x.StatusRow, After: &after})
}

// regressedBy says by which of the releases that a query lists, with when an
// event of each was thrown last, a standing regresses; nil when by none.
func (s *Service) regressedBy(ctx context.Context, tx *sql.Tx, project int64, st issue.Status, query string,
	args ...any) (*issue.Entry, error) {
	if st.State != issue.Fixed {
		return nil, nil
	}
	type seen struct {
		release string
		last    int64
	}
	var list []seen
	names := []string{st.FixedIn, st.After}
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var x seen
		err := r.Scan(&x.release, &x.last)
		list, names = append(list, x), append(names, x.release)
		return err
	}, query, args...)
	if err != nil {
		return nil, err
	}
	k, err := s.releases.Facts(ctx, tx, project, names...)
	if err != nil {
		return nil, err
	}
	for _, x := range list {
		if _, entry, changed := k.Seen(st,
			issue.Occurrence{Release: k.Release(x.release), Thrown: db.FromMicros(x.last)}); changed {
			return entry, nil
		}
	}
	return nil, nil
}

// AddRegression writes into an issue's history that it regressed by a move,
// which is undone as one with it.
func (s *Service) AddRegression(ctx context.Context, tx *sql.Tx, project, id int64, e *issue.Entry) error {
	if e == nil {
		return nil
	}
	return s.status.Record(ctx, tx, project, id, status.HistoryLine{Entry: *e, Who: accounts.Service})
}

// liveSide finds an issue that variants can go to; a merged-away number leads
// to where it went.
func (s *Service) liveSide(ctx context.Context, tx *sql.Tx, p *projects.Project, number int64) (*Side, error) {
	x, err := s.loadSide(ctx, tx, p, number)
	if err != nil || x.into == 0 {
		return x, err
	}
	return s.LeadsTo(ctx, tx, x.into)
}

func (s *Service) loadSide(ctx context.Context, tx *sql.Tx, p *projects.Project, number int64) (*Side, error) {
	var id int64
	err := tx.QueryRowContext(ctx, "SELECT id FROM issue WHERE project=? AND number=?", p.ID, number).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "there is no issue %s/%d", p.Name, number)
	}
	if err != nil {
		return nil, err
	}
	return s.SideByID(ctx, tx, id)
}

// SideByID locks an issue as one side of a move.
func (s *Service) SideByID(ctx context.Context, tx *sql.Tx, id int64) (*Side, error) {
	x := &Side{ID: id}
	var into, deleted sql.NullInt64
	err := issues.LockStatus(ctx, tx, &x.StatusRow, db.Into{"number": &x.Number, "merged_into": &into,
		"deleted": &deleted}, "SELECT i.number, i.merged_into, i.deleted, "+issues.StatusColumns+
		" FROM issue i WHERE i.id=? FOR UPDATE", id)
	if err != nil {
		return x, err
	}
	if x.into = into.Int64; deleted.Valid {
		return x, problem.New(problem.Conflict, "%s was deleted", s.issues.IssueName(ctx, tx, id))
	}
	return x, nil
}

// listRow is what a merged-away issue's row in the list showed, kept in the
// move so that an undo can show it again. Counts are not among it: they are
// rebuilt from the variants that come back.
type listRow struct {
	Headline, Place, Message   string
	OriginFunction, OriginFile string
	OriginLine                 int
	Severity                   string
	Unhandled                  bool
	FirstSeen, LastSeen        int64
	FirstRelease, LastRelease  int64
	FirstPosition              int64 `json:"FirstFiling"` // the names that rows were stored with
	LastPosition               int64 `json:"LastFiling"`
}

const listRowColumns = "headline, place, message, origin_function, origin_file, origin_line, severity, unhandled, first_seen, last_seen, COALESCE(first_release,0) AS first_release, COALESCE(last_release,0) AS last_release, first_filing, last_filing"

// rowCounts are what an issue's row counts: users, and events and users of the
// last two weeks.
type rowCounts struct{ users, windowEvents, windowUsers int64 }

// insertRow writes the row of an issue whose events are yet to come.
func (s *Service) insertRow(ctx context.Context, tx *sql.Tx, project, id int64, st issues.StatusRow, l listRow,
	n rowCounts) error {
	return s.status.WriteRows(ctx, tx, project, []status.ListRow{{
		Issue: id, New: st, Shown: l.shown(), Users: n.users, WindowDay: int64(db.Day(s.db.Now())),
		WindowEvents: n.windowEvents, WindowUsers: n.windowUsers,
		FirstSeen: l.FirstSeen, LastSeen: l.LastSeen, FirstRelease: l.FirstRelease, LastRelease: l.LastRelease,
		FirstPosition: l.FirstPosition, LastPosition: l.LastPosition, GrownTo: issue.GrownTo(n.users),
	}})
}

func (l listRow) shown() issues.Shown {
	return issues.Shown{Headline: l.Headline, Place: l.Place, Message: l.Message, OriginFunction: l.OriginFunction,
		OriginFile: l.OriginFile, OriginLine: l.OriginLine, Severity: l.Severity, Unhandled: l.Unhandled}
}

// saveRow keeps the list row of a merge's source.
func (s *Service) saveRow(ctx context.Context, tx *sql.Tx, m *Move) error {
	text, err := ListRowOf(ctx, tx, m.From)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "UPDATE move SET list_from=? WHERE id=?", text, m.ID)
	return err
}

// ListRowOf is an issue's row in the list, as it is written down.
func ListRowOf(ctx context.Context, tx *sql.Tx, id int64) (string, error) {
	var l listRow
	err := db.FirstInto(ctx, tx,
		db.Into{"headline": &l.Headline, "place": &l.Place, "message": &l.Message, "origin_function": &l.OriginFunction,
			"origin_file": &l.OriginFile, "origin_line": &l.OriginLine, "severity": &l.Severity,
			"unhandled": &l.Unhandled, "first_seen": &l.FirstSeen, "last_seen": &l.LastSeen,
			"first_release": &l.FirstRelease, "last_release": &l.LastRelease, "first_filing": &l.FirstPosition,
			"last_filing": &l.LastPosition}, "SELECT "+listRowColumns+" FROM issue_list WHERE issue=?", id)
	if err != nil {
		return "", err
	}
	raw, err := json.Marshal(l)
	return string(raw), err
}

// MaxHops is how many merges are followed to where an issue's number leads.
const MaxHops = 100

// LeadsTo is the issue that an issue's number leads to.
func (s *Service) LeadsTo(ctx context.Context, tx *sql.Tx, id int64) (*Side, error) {
	to, err := s.SideByID(ctx, tx, id)
	for hops := 0; err == nil && to.into != 0 && hops < MaxHops; hops++ {
		to, err = s.SideByID(ctx, tx, to.into)
	}
	return to, err
}
