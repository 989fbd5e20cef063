package moves

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"firethorn/internal/core/impact"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
)

// chunkRows is how many derived rows follow a move in one transaction.
const chunkRows = 5000

// derived describes a table whose rows follow their variant from issue to
// issue. Its key is issue, prefix (if any), column, variant: chunks are ranges
// of the column under one prefix, whole values at a time.
type derived struct {
	step                  int // of a move, which is stored: it does not change
	Table, prefix, column string
	values                []string // the rest of the columns
	join                  string   // how a row that is there already takes another in
	users                 bool     // the column is a user
}

const addCounts = "events=t.events+VALUES(events), dropped=t.dropped+VALUES(dropped)"

const addSpans = addCounts + ", first_seen=LEAST(t.first_seen, VALUES(first_seen)), last_seen=GREATEST(t.last_seen, VALUES(last_seen))"

// Columns are all but the issue.
func (d derived) Columns() []string {
	out := []string{d.column, "variant"}
	if d.prefix != "" {
		out = append([]string{d.prefix}, out...)
	}
	return append(out, d.values...)
}

// Joins is the ON DUPLICATE KEY clause.
func (d derived) Joins() string { return strings.ReplaceAll(d.join, "t.", d.Table+".") }

var spanColumns = []string{"events", "dropped", "first_seen", "last_seen"}

// Followers are the derived tables in the order they follow.
var Followers = []derived{
	{step: 0, Table: "issue_user", column: "user", values: []string{"last_day"},
		join: "last_day=GREATEST(t.last_day, VALUES(last_day))", users: true},
	{step: 1, Table: "issue_user_day", prefix: "day", column: "user", join: "variant=VALUES(variant)", users: true},
	// Step 2 was a table of users by environment, which nothing read.
	{step: 3, Table: "issue_hour", column: "hour", values: []string{"events", "dropped"}, join: addCounts},
	{step: 4, Table: "issue_day", column: "day", values: []string{"events", "dropped"}, join: addCounts},
	{step: 5, Table: "issue_release", column: "app_release", values: spanColumns, join: addSpans},
	{step: 6, Table: "issue_env", column: "environment", values: spanColumns, join: addSpans},
}

// Following lists the projects with moves whose derived rows are on their way.
func (s *Service) Following(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM move WHERE following=1")
}

// FollowMove lets a chunk of derived rows follow the oldest move of a project,
// of as many tables as that takes; more says that there is more to do.
func (s *Service) FollowMove(ctx context.Context, project int64) (more bool, err error) {
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		more = false
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		f := &follow{s: s, tx: tx}
		var at string
		err := tx.QueryRowContext(ctx, "SELECT id, from_issue, to_issue, step, step_at FROM move WHERE following=1 AND project=? ORDER BY id LIMIT 1 FOR UPDATE", project).Scan(&f.id, &f.from, &f.to, &f.step, &at)
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		if err != nil {
			return err
		}
		more = true
		if at != "" {
			if _, err := fmt.Sscanf(at, "%d:%d", &f.prefix, &f.column); err != nil {
				return fmt.Errorf("move %d stands at %q: %w", f.id, at, err)
			}
			f.begun = true
		}
		for f.rows < int64(s.Chunk) {
			i := slices.IndexFunc(Followers, func(d derived) bool { return d.step >= f.step })
			if i < 0 {
				return f.settle(ctx, project)
			}
			if d := Followers[i]; d.step > f.step {
				f.step, f.begun = d.step, false
			}
			if err := f.chunk(ctx, Followers[i]); err != nil {
				return err
			}
		}
		return nil
	})
	return more, err
}

// follow is one step of a move.
type follow struct {
	s              *Service
	tx             *sql.Tx
	id, from, to   int64
	step           int
	begun          bool
	prefix, column int64 // the last ones done
	rows           int64 // that were moved in this transaction
}

// correlated keeps the server from turning EXISTS into a join: it would read all
// rows of an issue for each chunk, where one look-up a row is enough.
const correlated = "SET STATEMENT optimizer_switch='exists_to_in=off' FOR "

// ofMove is the condition that a row of table alias t belongs to the move.
const ofMove = "EXISTS (SELECT 1 FROM move_variant m WHERE m.move=? AND m.variant=t.variant)"

// chunk moves the next rows of one table, or goes on to the next table.
func (f *follow) chunk(ctx context.Context, d derived) error {
	lo, hi, prefix, found, err := f.bounds(ctx, d)
	if err != nil {
		return err
	}
	if !found {
		f.step, f.begun = f.step+1, false
		_, err := f.tx.ExecContext(ctx, "UPDATE move SET step=?, step_at='' WHERE id=?", f.step, f.id)
		return err
	}
	where, args := "t.issue=? AND t."+d.column+" BETWEEN ? AND ?", []any{f.from, lo, hi}
	if d.prefix != "" {
		where, args = "t.issue=? AND t."+d.prefix+"=? AND t."+d.column+" BETWEEN ? AND ?", []any{f.from, prefix, lo, hi}
	}
	where, args = where+" AND "+ofMove, append(args, f.id)
	if d.users {
		if err := f.countUsers(ctx, d, where, args, prefix); err != nil {
			return err
		}
	}
	if d.Table == "issue_day" {
		if err := f.moveTrend(ctx, where, args); err != nil {
			return err
		}
	}
	columns := strings.Join(d.Columns(), ", ")
	insert := correlated + fmt.Sprintf("INSERT INTO %s (issue, %s) SELECT * FROM (SELECT %d, %s FROM %s t WHERE %s) x ON DUPLICATE KEY UPDATE %s", d.Table, columns, f.to, columns, d.Table, where, d.Joins())
	if _, err := f.tx.ExecContext(ctx, insert, args...); err != nil {
		return fmt.Errorf("%s follows move %d: %w", d.Table, f.id, err)
	}
	gone, err := f.tx.ExecContext(ctx, correlated+"DELETE t FROM "+d.Table+" t WHERE "+where, args...)
	if err != nil {
		return err
	}
	n, err := gone.RowsAffected()
	if err != nil {
		return err
	}
	f.rows, f.begun, f.prefix, f.column = f.rows+n, true, prefix, hi
	_, err = f.tx.ExecContext(ctx, "UPDATE move SET step=?, step_at=? WHERE id=?", f.step,
		fmt.Sprintf("%d:%d", prefix, hi), f.id)
	return err
}

// bounds finds the next range to move: column values from lo to hi under one
// prefix, whole values, about one chunk of rows.
func (f *follow) bounds(ctx context.Context, d derived) (lo, hi, prefix int64, found bool, err error) {
	// STRAIGHT_JOIN reads the table in the order of its key and stops at the
	// first row that moves; the other way round all rows of the issue are read
	// for each chunk.
	from := " FROM " + d.Table + " t FORCE INDEX (PRIMARY) JOIN move_variant m ON m.move=? AND m.variant=t.variant WHERE t.issue=?"
	find := func(cond string, args ...any) error {
		order := "t." + d.column
		first := "0"
		if d.prefix != "" {
			order, first = "t."+d.prefix+", "+order, "t."+d.prefix
		}
		return f.tx.QueryRowContext(ctx,
			"SELECT STRAIGHT_JOIN "+first+", t."+d.column+from+cond+" ORDER BY "+order+" LIMIT 1",
			append([]any{f.id, f.from}, args...)...).Scan(&prefix, &lo)
	}
	switch {
	case !f.begun:
		err = find("")
	case d.prefix == "":
		err = find(" AND t."+d.column+">?", f.column)
	default:
		// Two reads, each one range of the key: the rest of this prefix, then the next.
		if err = find(" AND t."+d.prefix+"=? AND t."+d.column+">?", f.prefix, f.column); errors.Is(err, sql.ErrNoRows) {
			err = find(" AND t."+d.prefix+">?", f.prefix)
		}
	}
	if errors.Is(err, sql.ErrNoRows) {
		return 0, 0, 0, false, nil
	}
	if err != nil {
		return 0, 0, 0, false, err
	}
	cond, args := " AND t."+d.column+">=?", []any{f.id, f.from, lo, f.s.Chunk - 1}
	if d.prefix != "" {
		cond, args = " AND t."+d.prefix+"=?"+cond, []any{f.id, f.from, prefix, lo, f.s.Chunk - 1}
	}
	err = f.tx.QueryRowContext(ctx,
		"SELECT STRAIGHT_JOIN t."+d.column+from+cond+" ORDER BY t."+d.column+" LIMIT 1 OFFSET ?", args...).Scan(&hi)
	if errors.Is(err, sql.ErrNoRows) {
		hi, err = math.MaxInt64, nil
	}
	return lo, hi, prefix, true, err
}

// countUsers brings the counts of users along with the pairs that move: those
// that are new to the target, and those that the source has in no other
// variant.
func (f *follow) countUsers(ctx context.Context, d derived, where string, args []any, prefix int64) error {
	count := func(issue int64, extra string, extraArgs ...any) (n int64, err error) {
		same := "o.issue=? AND o.user=t.user"
		all := append(append([]any{}, args...), issue)
		if d.prefix != "" {
			same += " AND o." + d.prefix + "=?"
			all = append(all, prefix)
		}
		if issue == f.from {
			same += " AND NOT EXISTS (SELECT 1 FROM move_variant m WHERE m.move=? AND m.variant=o.variant)"
			all = append(all, f.id)
		}
		outer := ""
		if extra != "" {
			outer, same = " AND t."+extra, same+" AND o."+extra
			all = append(append(append([]any{}, all[:len(args)]...), extraArgs...),
				append(all[len(args):], extraArgs...)...)
		}
		err = f.tx.QueryRowContext(ctx,
			correlated+"SELECT COUNT(DISTINCT t.user) FROM "+d.Table+" t WHERE "+where+outer+
				" AND NOT EXISTS (SELECT 1 FROM "+d.Table+" o WHERE "+same+")", all...).Scan(&n)
		return n, err
	}
	for _, side := range []struct{ issue, sign int64 }{{f.from, -1}, {f.to, 1}} {
		n, err := count(side.issue, "")
		if err != nil {
			return err
		}
		if d.Table == "issue_user_day" {
			if err := addTrend(ctx, f.tx, side.issue, prefix, 0, side.sign*n); err != nil {
				return err
			}
			continue
		}
		start, listed, err := listedFrom(ctx, f.tx, side.issue)
		if err != nil {
			return err
		}
		if !listed {
			continue
		}
		inWindow, err := count(side.issue, "last_day>=?", start)
		if err != nil {
			return err
		}
		if err := issues.AddUsers(ctx, f.tx, side.issue, side.sign*n, side.sign*inWindow); err != nil {
			return err
		}
	}
	return nil
}

// listedFrom is the first day of an issue's window; listed is false for one
// that was merged away.
func listedFrom(ctx context.Context, tx *sql.Tx, id int64) (start int64, listed bool, err error) {
	err = tx.QueryRowContext(ctx, "SELECT window_day FROM issue_list WHERE issue=?", id).Scan(&start)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, false, nil
	}
	return start - impact.Window + 1, true, err
}

func addTrend(ctx context.Context, tx *sql.Tx, issue, day, events, users int64) error {
	if events == 0 && users == 0 {
		return nil
	}
	_, err := tx.ExecContext(ctx, "INSERT INTO issue_trend (issue, day, events, users) VALUES (?,?,GREATEST(0,?),GREATEST(0,?)) ON DUPLICATE KEY UPDATE events=events+CAST(? AS SIGNED), users=users+CAST(? AS SIGNED)", issue, day, events, users, events, users)
	return err
}

// moveTrend moves what a list draws, and the window's events that rest on it.
func (f *follow) moveTrend(ctx context.Context, where string, args []any) error {
	type day struct{ day, events int64 }
	var days []day
	err := db.Each(ctx, f.tx, func(r *sql.Rows) error {
		var x day
		err := r.Scan(&x.day, &x.events)
		days = append(days, x)
		return err
	}, correlated+"SELECT t.day, SUM(t.events) FROM issue_day t WHERE "+where+" GROUP BY t.day", args...)
	if err != nil {
		return err
	}
	for _, side := range []struct{ issue, sign int64 }{{f.from, -1}, {f.to, 1}} {
		start, _, err := listedFrom(ctx, f.tx, side.issue)
		if err != nil {
			return err
		}
		window := int64(0)
		for _, x := range days {
			if err := addTrend(ctx, f.tx, side.issue, x.day, side.sign*x.events, 0); err != nil {
				return err
			}
			if x.day >= start {
				window += side.sign * x.events
			}
		}
		if err := issues.AddWindowEvents(ctx, f.tx, side.issue, window); err != nil {
			return err
		}
	}
	return nil
}

// settle ends a move: spans and impact are made from what is there now.
func (f *follow) settle(ctx context.Context, project int64) error {
	if _, err := f.tx.ExecContext(ctx, "UPDATE move SET following=0 WHERE id=?", f.id); err != nil {
		return err
	}
	if _, err := f.tx.ExecContext(ctx, "DELETE FROM issue_trend WHERE issue IN (?,?) AND events=0 AND users=0", f.from, f.to); err != nil {
		return err
	}
	for _, id := range []int64{f.from, f.to} {
		if err := f.s.arrived(ctx, f.tx, id); err != nil {
			return err
		}
	}
	return projects.Touch(ctx, f.tx, project)
}

// arrived makes an issue's spans and impact from what is there now, and says
// whether more is on its way.
func (s *Service) arrived(ctx context.Context, tx *sql.Tx, id int64) error {
	if err := refreshSpans(ctx, tx, id); err != nil {
		return err
	}
	if err := releases.IssueMoved(ctx, tx, id); err != nil {
		return err
	}
	if err := s.status.Refresh(ctx, tx, id); err != nil {
		return err
	}
	const done = "UPDATE issue_list SET recounting=EXISTS (SELECT 1 FROM move WHERE following=1 AND (from_issue=? OR to_issue=?))" +
		" OR EXISTS (SELECT 1 FROM split s JOIN move m ON m.id=s.move WHERE s.looking=1 AND (m.from_issue=? OR m.to_issue=?)) WHERE issue=?"
	_, err := tx.ExecContext(ctx, done, id, id, id, id, id)
	return err
}

// refreshSpans makes first and last seen, and the releases they happened in,
// from what the environments and releases of an issue say.
func refreshSpans(ctx context.Context, tx *sql.Tx, id int64) error {
	var first, last sql.NullInt64
	if err := tx.QueryRowContext(ctx, "SELECT MIN(first_seen), MAX(last_seen) FROM issue_env WHERE issue=?", id).Scan(&first, &last); err != nil || !first.Valid {
		return err
	}
	_, err := tx.ExecContext(ctx, "UPDATE issue_list SET first_seen=?, last_seen=?,"+
		" first_release=(SELECT app_release FROM issue_release WHERE issue=? AND first_seen=? ORDER BY app_release LIMIT 1),"+
		" last_release=(SELECT app_release FROM issue_release WHERE issue=? AND last_seen=? ORDER BY app_release DESC LIMIT 1) WHERE issue=?",
		first.Int64, last.Int64, id, first.Int64, id, last.Int64, id)
	return err
}
