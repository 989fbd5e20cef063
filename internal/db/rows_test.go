package db_test

import (
	"database/sql"
	"errors"
	"log/slog"
	"strings"
	"testing"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/testdb"
)

func open(t *testing.T) *db.DB {
	t.Helper()
	d, err := db.Open(t.Context(), db.Options{DSN: testdb.DSN(t), Log: slog.New(slog.DiscardHandler), Now: time.Now})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { d.Close() })
	return d
}

// Rows are read by the names of their columns, in whatever order they stand.
func TestScanNames(t *testing.T) {
	d := open(t)
	var first, second int64
	var text string
	into := db.Into{"first": &first, "second": &second, "text": &text}
	for _, query := range []string{"SELECT 1 AS first, 2 AS second, 'quay' AS text", "SELECT 'quay' AS text, 2 AS second, 1 AS first"} {
		first, second, text = 0, 0, ""
		if err := db.FirstInto(t.Context(), d, into, query); err != nil || first != 1 || second != 2 || text != "quay" {
			t.Errorf("%s: %d, %d, %q, %v", query, first, second, text, err)
		}
	}
	for query, wrong := range map[string]string{
		"SELECT 1 AS first, 2 AS second":                              `no column "text"`,
		"SELECT 1 AS first, 2 AS second, 'quay' AS text, 4 AS fourth": `"fourth" that nothing reads`,
		"SELECT 1 AS first, 2 AS first, 'quay' AS text":               `"first" that nothing reads`,
	} {
		if err := db.FirstInto(t.Context(), d, into, query); err == nil || !strings.Contains(err.Error(), wrong) {
			t.Errorf("%s: %v, want %s", query, err, wrong)
		}
	}
	if err := db.FirstInto(t.Context(), d, into, "SELECT 1 AS first, 2 AS second, '' AS text WHERE 1=0"); !errors.Is(err, sql.ErrNoRows) {
		t.Errorf("no row: %v", err)
	}
}

func TestList_ReadsAllRowsOrNone(t *testing.T) {
	d := open(t)
	number := func(r *sql.Rows) (n int64, err error) {
		err = r.Scan(&n)
		return n, err
	}
	list, err := db.List(t.Context(), d, number, "SELECT 3 UNION ALL SELECT 4")
	if err != nil || len(list) != 2 || list[0]+list[1] != 7 {
		t.Errorf("%v, %v", list, err)
	}
	if _, err := db.List(t.Context(), d, number, "SELECT 3 UNION ALL SELECT 'tide'"); err == nil {
		t.Error("a row that is no number was read as one")
	}
	if _, err := db.First(t.Context(), d, number, "SELECT 3 WHERE 1=0"); !errors.Is(err, sql.ErrNoRows) {
		t.Errorf("no row: %v", err)
	}
}

// Whatever the number of rows, each is written, changed and found once.
func TestRowsOfAnyNumber(t *testing.T) {
	d := open(t)
	if _, err := d.ExecContext(t.Context(), "CREATE TABLE tide (day INT, berth INT, height BIGINT, PRIMARY KEY (day, berth))"); err != nil {
		t.Fatal(err)
	}
	for day, n := range []int{0, 1, 2, 3, 31, 127, 128, 129, 300, 777} {
		var rows, changes, keys [][]any
		for berth := range n {
			rows = append(rows, []any{day, berth, 10 * berth})
			changes = append(changes, []any{day, berth, -3})
			keys = append(keys, []any{day, berth})
		}
		keys = append(keys, []any{day, -1}) // nothing has this key
		found, sum := 0, 0
		err := errors.Join(
			d.InsertFixed(t.Context(), nil, "INSERT INTO tide (day, berth, height)", "", rows),
			d.UpdateFixed(t.Context(), nil, []string{"day", "berth", "more"}, "STRAIGHT_JOIN tide t ON t.day=x.day AND t.berth=x.berth SET t.height=t.height+x.more", changes),
			db.EachOf(t.Context(), d, "day, berth", keys, func(r *sql.Rows) error {
				height := 0
				err := r.Scan(&height)
				found, sum = found+1, sum+height
				return err
			}, "SELECT t.height FROM x STRAIGHT_JOIN tide t ON t.day=x.day AND t.berth=x.berth"))
		if err != nil || found != n || sum != 10*n*(n-1)/2-3*n {
			t.Errorf("%d rows: %d found, sum %d, %v", n, found, sum, err)
		}
	}
}
