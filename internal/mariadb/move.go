package mariadb

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/issue"
)

// moveKind says why variants moved.
type moveKind string

// The kinds of move.
const (
	moveMerge moveKind = "merge"
	moveSplit moveKind = "split"
	moveLate  moveKind = "symbols" // symbols came that made traces readable
	moveUndo  moveKind = "undo"
	moveAnew  moveKind = "regroup" // stored events were regrouped
)

// move is variants going from one issue to another: one transaction flips
// their pointers and the totals, derived rows follow in the background.
type move struct {
	id, project, from, to int64
	kind                  moveKind
	undoes                int64
	regroup               int64 // that it is part of, 0: of none
}

// sides are the two issues of a move, locked.
type side struct {
	id, number, into int64
	standingRow
}

// Merge moves all variants of issues into another issue. The issues' numbers
// lead there from now on; the target keeps its state, save that it regresses
// when what came was seen in a release that contains its fix.
func (s *Store) Merge(ctx context.Context, project *Project, from []int64, into int64, who Actor) error {
	return s.InTx(ctx, func(tx *sql.Tx) error {
		if err := lockProject(ctx, tx, project.ID); err != nil {
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
			if src.id == to.id {
				return fault.New(fault.BadInput, "%s/%d cannot be merged into itself", project.Name, n)
			}
			if src.into != 0 {
				return fault.New(fault.Conflict, "%s/%d was merged into %s already", project.Name, n, s.issueName(ctx, tx, src.into))
			}
			if err := s.merge(ctx, tx, project, src, to, who); err != nil {
				return err
			}
			if to, err = s.liveSide(ctx, tx, project, to.number); err != nil { // its state may have changed
				return err
			}
		}
		_, err = tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", project.ID)
		return err
	})
}

func lockProject(ctx context.Context, tx *sql.Tx, id int64) error {
	return tx.QueryRowContext(ctx, "SELECT project FROM project_counter WHERE project=? FOR UPDATE", id).Scan(&id)
}

func (s *Store) merge(ctx context.Context, tx *sql.Tx, p *Project, from, to *side, who Actor) error {
	words := fmt.Sprintf("merged %s/%d into this; it was %s", p.Name, from.number, issue.Describe(from.Standing))
	return s.mergeAs(ctx, tx, p, from, to, who, moveMerge, words)
}

// mergeAs moves all that an issue has into another one, whose history says words.
func (s *Store) mergeAs(ctx context.Context, tx *sql.Tx, p *Project, from, to *side, who Actor, kind moveKind, words string) error {
	m := &move{project: p.ID, kind: kind, from: from.id, to: to.id}
	if err := s.newMove(ctx, tx, m, who, from, to); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_variant (move, variant) SELECT ?, id FROM variant WHERE issue=?", m.id, from.id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT INTO move_alias (move, grouping_version, hash) SELECT ?, grouping_version, hash FROM alias WHERE issue=?", m.id, from.id); err != nil {
		return err
	}
	if err := s.saveRow(ctx, tx, m); err != nil {
		return err
	}
	regressed, err := s.regressByMove(ctx, tx, p, m, to)
	if err != nil {
		return err
	}
	if err := s.flip(ctx, tx, m); err != nil {
		return err
	}
	if err := s.joinSpans(ctx, tx, m); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE issue SET merged_into=?, version=version+1 WHERE id=?", to.id, from.id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM issue_list WHERE issue=?", from.id); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO watcher (issue, person) SELECT ?, person FROM watcher WHERE issue=?", to.id, from.id); err != nil {
		return err
	}
	if err := s.addMoveHistory(ctx, tx, to.id, m, who, string(kind), words); err != nil {
		return err
	}
	if err := s.addRegression(ctx, tx, m.project, to.id, regressed); err != nil {
		return err
	}
	return s.addMoveHistory(ctx, tx, from.id, m, who, "merged_away", fmt.Sprintf("merged into %s/%d", p.Name, to.number))
}

// newMove writes the move's own row.
func (s *Store) newMove(ctx context.Context, tx *sql.Tx, m *move, who Actor, from, to *side) error {
	before := func(x *side) (string, error) {
		raw, err := json.Marshal(x.standingRow)
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
		m.project, string(m.kind), micros(s.now()), who.Kind, who.Name, m.from, m.to, nullID(m.undoes), nullID(m.regroup), a, b)
	if err != nil {
		return err
	}
	m.id, err = res.LastInsertId()
	return err
}

func (s *Store) addMoveHistory(ctx context.Context, tx *sql.Tx, issue int64, m *move, who Actor, kind, words string) error {
	var id any
	if m != nil {
		id = m.id
	}
	_, err := tx.ExecContext(ctx, "INSERT INTO history (issue, at, actor_kind, actor_id, actor, kind, words, move) VALUES (?,?,?,?,?,?,?,?)", issue, micros(s.now()), who.Kind, who.ID, who.Name, kind, event.TrimText(words, 500), id)
	return err
}

// flip turns the pointers of the move's variants and aliases, and moves the
// totals with them.
func (s *Store) flip(ctx context.Context, tx *sql.Tx, m *move) error {
	var events, bodies int64
	const sums = "SELECT COALESCE(SUM(v.events),0), COALESCE(SUM(v.bodies),0) FROM move_variant m JOIN variant v ON v.id=m.variant WHERE m.move=?"
	if err := tx.QueryRowContext(ctx, sums, m.id).Scan(&events, &bodies); err != nil {
		return err
	}
	for _, q := range []struct {
		text string
		args []any
	}{
		{"UPDATE variant v JOIN move_variant m ON m.variant=v.id SET v.issue=? WHERE m.move=?", []any{m.to, m.id}},
		{"UPDATE alias a JOIN move_alias m ON m.grouping_version=a.grouping_version AND m.hash=a.hash SET a.issue=? WHERE m.move=? AND a.project=?", []any{m.to, m.id, m.project}},
		{"UPDATE issue_list SET events=events-?, bodies=bodies-?, recounting=1 WHERE issue=?", []any{events, bodies, m.from}},
		{"UPDATE issue_list SET events=events+?, bodies=bodies+?, recounting=1 WHERE issue=?", []any{events, bodies, m.to}},
	} {
		if _, err := tx.ExecContext(ctx, q.text, q.args...); err != nil {
			return err
		}
	}
	return nil
}

// joinSpans lets a merge's target begin where the earlier of both began and
// end where the later ended.
func (s *Store) joinSpans(ctx context.Context, tx *sql.Tx, m *move) error {
	const query = "UPDATE issue_list t JOIN issue_list f ON f.issue=? SET" +
		" t.first_release=IF(f.first_seen<t.first_seen, f.first_release, t.first_release), t.last_release=IF(f.last_seen>t.last_seen, f.last_release, t.last_release)," +
		" t.first_filing=LEAST(t.first_filing, f.first_filing), t.last_filing=GREATEST(t.last_filing, f.last_filing) WHERE t.issue=?"
	// A join's assignments are made in no certain order: releases first, then
	// the times they were chosen by.
	if _, err := tx.ExecContext(ctx, query, m.from, m.to); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "UPDATE issue_list t JOIN issue_list f ON f.issue=? SET t.first_seen=LEAST(t.first_seen, f.first_seen), t.last_seen=GREATEST(t.last_seen, f.last_seen) WHERE t.issue=?", m.from, m.to)
	return err
}

// regressByMove asks the state machine what the releases of the moved variants
// do to a target that is fixed.
func (s *Store) regressByMove(ctx context.Context, tx *sql.Tx, p *Project, m *move, to *side) (*issue.Entry, error) {
	const came = "SELECT n.name, MAX(x.last_seen) FROM move_variant mv JOIN issue_release x ON x.issue=? AND x.variant=mv.variant JOIN app_release n ON n.id=x.app_release WHERE mv.move=? GROUP BY n.id"
	entry, err := s.regressedBy(ctx, tx, p.ID, to.Standing, came, m.from, m.id)
	if err != nil || entry == nil {
		return nil, err
	}
	if _, err := tx.ExecContext(ctx, "UPDATE issue SET state=? WHERE id=?", string(issue.Regressed), to.id); err != nil {
		return nil, err
	}
	return entry, s.copyState(ctx, tx, to.id, issue.Regressed)
}

// regressedBy says by which of the releases that a query lists, with when an
// event of each was thrown last, a standing regresses; nil when by none.
func (s *Store) regressedBy(ctx context.Context, tx *sql.Tx, project int64, st issue.Standing, query string, args ...any) (*issue.Entry, error) {
	if st.State != issue.Fixed {
		return nil, nil
	}
	type seen struct {
		release string
		last    int64
	}
	var list []seen
	names := []string{st.FixedIn, st.After}
	err := each(ctx, tx, func(r *sql.Rows) error {
		var x seen
		err := r.Scan(&x.release, &x.last)
		list, names = append(list, x), append(names, x.release)
		return err
	}, query, args...)
	if err != nil {
		return nil, err
	}
	k, err := s.known(ctx, tx, project, names...)
	if err != nil {
		return nil, err
	}
	for _, x := range list {
		if _, entry, changed := k.Seen(st, issue.Occurrence{Release: k.Release(x.release), Thrown: fromMicros(x.last)}); changed {
			return entry, nil
		}
	}
	return nil, nil
}

// addRegression writes into an issue's history that it came back by a move,
// which is undone as one with it.
func (s *Store) addRegression(ctx context.Context, tx *sql.Tx, project, id int64, e *issue.Entry) error {
	if e == nil {
		return nil
	}
	return s.tell(ctx, tx, project, id, historyLine{Entry: *e, who: service})
}

// liveSide finds an issue that variants can go to; a merged-away number leads
// to where it went.
func (s *Store) liveSide(ctx context.Context, tx *sql.Tx, p *Project, number int64) (*side, error) {
	x, err := s.loadSide(ctx, tx, p, number)
	if err != nil || x.into == 0 {
		return x, err
	}
	return s.leadsTo(ctx, tx, x.into)
}

func (s *Store) loadSide(ctx context.Context, tx *sql.Tx, p *Project, number int64) (*side, error) {
	var id int64
	err := tx.QueryRowContext(ctx, "SELECT id FROM issue WHERE project=? AND number=?", p.ID, number).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fault.New(fault.NotFound, "there is no issue %s/%d", p.Name, number)
	}
	if err != nil {
		return nil, err
	}
	return s.sideByID(ctx, tx, id)
}

func (s *Store) sideByID(ctx context.Context, tx *sql.Tx, id int64) (*side, error) {
	x := &side{id: id}
	var into, deleted sql.NullInt64
	scan := standingScan{st: &x.standingRow}
	err := tx.QueryRowContext(ctx, "SELECT i.number, i.merged_into, i.deleted, "+standingColumns+" FROM issue i WHERE i.id=? FOR UPDATE", id).Scan(append([]any{&x.number, &into, &deleted}, scan.into()...)...)
	if err != nil {
		return x, err
	}
	if x.into = into.Int64; deleted.Valid {
		return x, fault.New(fault.Conflict, "%s was deleted", s.issueName(ctx, tx, id))
	}
	return x, scan.done()
}

func (s *Store) issueName(ctx context.Context, q querier, id int64) string {
	var project string
	var number int64
	if q.QueryRowContext(ctx, "SELECT p.name, i.number FROM issue i JOIN project p ON p.id=i.project WHERE i.id=?", id).Scan(&project, &number) != nil {
		return "another issue"
	}
	return fmt.Sprintf("%s/%d", project, number)
}

// listRow is what a merged-away issue's row in the list showed, kept in the
// move so that an undo can show it again. Counts are not among it: they are
// made anew from the variants that come back.
type listRow struct {
	Headline, Place, Message   string
	OriginFunction, OriginFile string
	OriginLine                 int
	Severity                   string
	Unhandled                  bool
	FirstSeen, LastSeen        int64
	FirstRelease, LastRelease  int64
	FirstFiling, LastFiling    int64
}

const listRowColumns = "headline, place, message, origin_function, origin_file, origin_line, severity, unhandled, first_seen, last_seen, COALESCE(first_release,0), COALESCE(last_release,0), first_filing, last_filing"

// insert writes the row of an issue whose events are yet to come.
func (l listRow) insert(ctx context.Context, tx *sql.Tx, project, id int64, st standingRow, now time.Time, users, windowEvents, windowUsers int64) error {
	calls := int64(0)
	if waits(st.State) {
		calls = micros(now)
	}
	row := []any{id, project, string(st.State), l.Headline, l.Place, l.Message, searchText(l.Headline, l.Place, l.Message), l.OriginFunction, l.OriginFile, l.OriginLine, l.Severity,
		0, users, Day(now), windowEvents, windowUsers, l.Unhandled, 0, l.FirstSeen, l.LastSeen, nullID(l.FirstRelease), nullID(l.LastRelease), l.FirstFiling, l.LastFiling, 0, 0, 0, issue.GrownTo(users), calls, nullID(st.OwnerID)}
	return insertRows(ctx, tx, "REPLACE INTO issue_list ("+issueListColumns+")", "", [][]any{row})
}

// saveRow keeps the list row of a merge's source.
func (s *Store) saveRow(ctx context.Context, tx *sql.Tx, m *move) error {
	text, err := listRowOf(ctx, tx, m.from)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "UPDATE move SET list_from=? WHERE id=?", text, m.id)
	return err
}

// listRowOf is an issue's row in the list, as it is written down.
func listRowOf(ctx context.Context, tx *sql.Tx, id int64) (string, error) {
	var l listRow
	err := tx.QueryRowContext(ctx, "SELECT "+listRowColumns+" FROM issue_list WHERE issue=?", id).
		Scan(&l.Headline, &l.Place, &l.Message, &l.OriginFunction, &l.OriginFile, &l.OriginLine, &l.Severity, &l.Unhandled, &l.FirstSeen, &l.LastSeen, &l.FirstRelease, &l.LastRelease, &l.FirstFiling, &l.LastFiling)
	if err != nil {
		return "", err
	}
	raw, err := json.Marshal(l)
	return string(raw), err
}
