package sessions

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"firethorn/internal/core/quality"
	"firethorn/internal/core/session"
	"firethorn/internal/db"
)

// Key is what a session counts under: when it began, where it ran, how it ended,
// how long it took, whose it was, on what.
type Key struct {
	Hour, Release, Environment int64
	Outcome                    session.Outcome
	Bucket                     int // of its duration; -1: not told
	User                       int64
	HasUser                    bool     // User is
	Traits                     [3]int64 // device, system, browser; 0: not told
}

// TraitNames are what sessions are distinguished by, in the order of Key.Traits;
// their kinds in the table count from 1.
var TraitNames = [3]string{"device.type", "os.name", "browser.name"}

// sessionTable is a table of counts of sessions, and the rows it makes of a count. The
// last values of a row, as many as sums says, are added up; those before say which row
// it is.
type sessionTable struct {
	insert, update string
	rows           func(c Key, n int64) [][]any
	sums           int
}

// countIf is n where something holds, and 0 where it does not.
func countIf(yes bool, n int64) int64 {
	if yes {
		return n
	}
	return 0
}

// sessionTables are all tables that count sessions.
var sessionTables = []sessionTable{
	{"INSERT INTO session_day (project, day, app_release, environment, outcome, sessions)",
		" ON DUPLICATE KEY UPDATE sessions=sessions+VALUES(sessions)", func(c Key, n int64) [][]any {
			return [][]any{{c.Hour / 24, c.Release, c.Environment, uint8(c.Outcome), n}}
		}, 1},
	{"INSERT INTO session_hour (project, hour, app_release, environment, outcome, sessions)",
		" ON DUPLICATE KEY UPDATE sessions=sessions+VALUES(sessions)", func(c Key, n int64) [][]any {
			return [][]any{{c.Hour, c.Release, c.Environment, uint8(c.Outcome), n}}
		}, 1},
	{"INSERT INTO session_took (project, day, app_release, environment, outcome, bucket, sessions)",
		" ON DUPLICATE KEY UPDATE sessions=sessions+VALUES(sessions)", func(c Key, n int64) [][]any {
			if c.Outcome == session.Running || c.Bucket < 0 {
				return nil
			}
			return [][]any{{c.Hour / 24, c.Release, c.Environment, uint8(c.Outcome), int64(c.Bucket), n}}
		}, 1},
	{"INSERT INTO session_user (project, day, app_release, environment, user, sessions, crashed, cut_off)",
		" ON DUPLICATE KEY UPDATE sessions=sessions+VALUES(sessions), crashed=crashed+VALUES(crashed), cut_off=cut_off+VALUES(cut_off)",
		func(c Key, n int64) [][]any {
			if c.Outcome == session.Running || !c.HasUser {
				return nil
			}
			return [][]any{{c.Hour / 24, c.Release, c.Environment, c.User, n, countIf(c.Outcome == session.Crashed, n),
				countIf(c.Outcome == session.CutOff, n)}}
		}, 3},
	{"INSERT INTO session_trait (project, day, app_release, environment, kind, value, outcome, sessions)",
		" ON DUPLICATE KEY UPDATE sessions=sessions+VALUES(sessions)", func(c Key, n int64) (rows [][]any) {
			for i, v := range c.Traits {
				if v != 0 {
					rows = append(rows, []any{c.Hour / 24, c.Release, c.Environment, int64(i + 1), v,
						uint8(c.Outcome), n})
				}
			}
			return rows
		}, 1},
}

// Add adds to all counts of sessions; a count that is subtracted was added before.
func Add(ctx context.Context, q db.Querier, project int64, counts map[Key]int64) error {
	for _, t := range sessionTables {
		sums := map[[7]any][]int64{}
		for c, n := range counts {
			for _, row := range t.rows(c, n) {
				var key [7]any
				at := len(row) - t.sums
				copy(key[:], row[:at])
				if sums[key] == nil {
					sums[key] = make([]int64, t.sums)
				}
				for i, x := range row[at:] {
					sums[key][i] += x.(int64)
				}
			}
		}
		var rows [][]any
		for key, sum := range sums {
			if !slices.ContainsFunc(sum, func(n int64) bool { return n != 0 }) {
				continue
			}
			row := []any{project}
			for _, k := range key {
				if k != nil {
					row = append(row, k)
				}
			}
			for _, n := range sum {
				row = append(row, n)
			}
			rows = append(rows, row)
		}
		if err := db.InsertRows(ctx, q, t.insert, t.update, rows); err != nil {
			return err
		}
	}
	return nil
}

// Tables are the tables that count sessions, with the statement that counts again
// what their rows must hold: of sessions that are told of one by one and of counted ones.
// AT is the place of the time, $ that of a condition on it.
func Tables() []Table {
	const one = "app_session WHERE $"
	day, hour := "AT DIV 86400000000", "AT DIV 3600000000"
	from := func(rest string) string { return strings.ReplaceAll(rest, "AT", "started") }
	place := ", COALESCE(app_release,0) AS app_release, environment, "
	minutes := func(span, by string) (out string) {
		for _, o := range []struct{ number, column string }{{"1", "clean"}, {"2", "faulty"}, {"3", "crashed"}} {
			out += strings.ReplaceAll(" UNION ALL SELECT project, "+span+" AS "+by+place+o.number+
				" AS outcome, SUM("+o.column+") AS sessions FROM session_minute WHERE $ GROUP BY 1,2,3,4 HAVING sessions>0", "AT", "minute")
		}
		return out
	}
	traits := ""
	for i, column := range []string{"device", "os", "browser"} {
		if i > 0 {
			traits += " UNION ALL "
		}
		traits += "SELECT project, " + day + " AS day" + place + string(rune('1'+i)) + " AS kind, " + column +
			" AS value, outcome, COUNT(*) AS sessions FROM app_session WHERE $ AND " + column + "<>0 GROUP BY 1,2,3,4,5,6,7"
	}
	return []Table{
		{"session_day", "day", "day, app_release, environment, outcome", "sessions",
			from("SELECT project, "+day+" AS day"+place+"outcome, COUNT(*) AS sessions FROM "+one+
				" GROUP BY 1,2,3,4,5") +
				minutes(day, "day")},
		{"session_hour", "hour", "hour, app_release, environment, outcome", "sessions",
			from("SELECT project, "+hour+" AS hour"+place+"outcome, COUNT(*) AS sessions FROM "+one+
				" GROUP BY 1,2,3,4,5") +
				minutes(hour, "hour")},
		{"session_took", "day", "day, app_release, environment, outcome, bucket", "sessions",
			from("SELECT project, " + day + " AS day" + place + "outcome, " + quality.BucketSQL("duration") +
				" AS bucket, COUNT(*) AS sessions FROM " + one + " AND outcome<>0 GROUP BY 1,2,3,4,5,6")},
		{"session_user", "day", "day, app_release, environment, user", "sessions, crashed, cut_off",
			from("SELECT project, " + day + " AS day" + place +
				"user, COUNT(*) AS sessions, SUM(outcome=3) AS crashed, SUM(outcome=4) AS cut_off FROM " + one +
				" AND user IS NOT NULL AND outcome<>0 GROUP BY 1,2,3,4,5")},
		{"session_trait", "day", "day, app_release, environment, kind, value, outcome", "sessions", from(traits)},
	}
}

// Table is a table of counts, and how it is counted again.
type Table struct {
	Name, Span string // Span is its column of time: day or hour
	Keys, Sums string
	Anew       string
}

// from is the first value of the table's column of time that a day has.
func (t Table) from(day int) string {
	if t.Span == "hour" {
		day *= 24
	}
	return strconv.Itoa(day)
}

// anew is the statement that counts again what began from a day on; and is a condition
// more.
func (t Table) anew(day int, and string) string {
	var out strings.Builder
	for i, part := range strings.Split(t.Anew, "$") {
		if i > 0 {
			at := "started"
			if strings.HasSuffix(out.String(), "session_minute WHERE ") {
				at = "minute"
			}
			out.WriteString(at + ">=" + strconv.FormatInt(int64(day)*86400_000_000, 10) + and)
		}
		out.WriteString(part)
	}
	return out.String()
}

// Differences is the statement that finds the rows from a day on that are not what
// counting again gives: 0, how many sessions they say, and how many there are.
func (t Table) Differences(day int) string {
	var have, want, unequal []string
	for i, sum := range strings.Split(t.Sums, ", ") {
		have = append(have, fmt.Sprintf("%s AS n%d", sum, i))
		want = append(want, "-"+sum)
		unequal = append(unequal, fmt.Sprintf("SUM(n%d)<>0", i))
	}
	return "SELECT 0, SUM(have), SUM(want) FROM (" +
		"SELECT project, " + t.Keys + ", sessions AS have, 0 AS want, " + strings.Join(have, ", ") +
		" FROM " + t.Name + " WHERE " + t.Span + ">=" + t.from(day) +
		" UNION ALL SELECT project, " + t.Keys + ", 0, sessions, " + strings.Join(want, ", ") +
		" FROM (" + t.anew(day, "") + ") a) d GROUP BY project, " + t.Keys +
		" HAVING " + strings.Join(unequal, " OR ")
}

// Repair counts a project's rows again from a day on.
func (t Table) Repair(ctx context.Context, tx *sql.Tx, project int64, day int) error {
	if _, err := tx.ExecContext(ctx, "DELETE FROM "+t.Name+" WHERE project=? AND "+t.Span+">="+t.from(day),
		project); err != nil {
		return err
	}
	var sums []string
	for sum := range strings.SplitSeq(t.Sums, ", ") {
		sums = append(sums, "SUM("+sum+")")
	}
	_, err := tx.ExecContext(ctx,
		"INSERT INTO "+t.Name+" (project, "+t.Keys+", "+t.Sums+") SELECT project, "+t.Keys+", "+
			strings.Join(sums, ", ")+" FROM ("+t.anew(day, " AND project="+strconv.FormatInt(project, 10))+
			") a GROUP BY project, "+t.Keys)
	return err
}

// MoveUser gives a user's counts to another user, who stands in the place of one that is
// erased.
func MoveUser(ctx context.Context, tx *sql.Tx, project, from, to int64) error {
	const sums = " ON DUPLICATE KEY UPDATE sessions=session_user.sessions+VALUES(sessions)," +
		" crashed=session_user.crashed+VALUES(crashed), cut_off=session_user.cut_off+VALUES(cut_off)"
	const rows = "INSERT INTO session_user (project, day, app_release, environment, user, sessions, crashed, cut_off)" +
		" SELECT project, day, app_release, environment, ?, sessions, crashed, cut_off FROM session_user u"
	if _, err := tx.ExecContext(ctx, rows+" WHERE u.project=? AND u.user=?"+sums, to, project, from); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "DELETE FROM session_user WHERE project=? AND user=?", project, from)
	return err
}
