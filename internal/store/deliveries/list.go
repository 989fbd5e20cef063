package deliveries

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/store/sight"
)

// Row is a delivery in a list, with names.
type Row struct {
	*Delivery
	ProjectName, DestinationName, PersonName string
	Number                                   int64 // of the issue; 0: it is about none
}

// Query asks for deliveries, the newest first.
type Query struct {
	Sight       sight.Sight
	Destination int64 // 0: all
	State       State // "": all
	Issue       int64 // 0: all
	Before      int64 // n to go on from; 0: the newest
	Limit       int
}

const rowColumns = ", COALESCE(p.name,'') AS project_name, t.name AS destination_name, COALESCE(w.name,'') AS person_name, COALESCE(i.number,0) AS number"

const rowTables = " FROM delivery d JOIN destination t ON t.id=d.destination LEFT JOIN project p ON p.id=d.project LEFT JOIN person w ON w.id=d.person LEFT JOIN issue i ON i.id=d.issue"

func scanRow(r *sql.Rows) (Row, error) {
	var row Row
	var err error
	row.Delivery, err = scanWith(
		r,
		db.Into{"project_name": &row.ProjectName, "destination_name": &row.DestinationName,
			"person_name": &row.PersonName, "number": &row.Number},
	)
	return row, err
}

// List lists deliveries.
func List(ctx context.Context, q db.Querier, a Query) (list []Row, err error) {
	where, args := a.Sight.Where("d.project")
	where = "(" + where + " OR d.project=0)"
	if a.Destination != 0 {
		where, args = where+" AND d.destination=?", append(args, a.Destination)
	}
	if a.State != "" {
		where, args = where+" AND d.state=?", append(args, string(a.State))
	}
	if a.Issue != 0 {
		where, args = where+" AND d.issue=?", append(args, a.Issue)
	}
	if a.Before > 0 {
		where, args = where+" AND d.n<?", append(args, a.Before)
	}
	return list, db.Each(ctx, q, func(r *sql.Rows) error {
		row, err := scanRow(r)
		list = append(list, row)
		return err
	}, "SELECT "+columns+rowColumns+rowTables+" WHERE "+where+" ORDER BY d.n DESC LIMIT ?", append(args, a.Limit)...)
}

// One is a delivery with names. One of a project that is not seen is as if it were not there.
func One(ctx context.Context, q db.Querier, seen sight.Sight, id uuid.UUID) (Row, error) {
	where, args := seen.Where("d.project")
	row, err := db.First(ctx, q, scanRow, "SELECT "+columns+rowColumns+rowTables+" WHERE ("+where+
		" OR d.project=0) AND d.id=?", append(args, id[:])...)
	if errors.Is(err, sql.ErrNoRows) {
		return row, absent(id)
	}
	return row, err
}

// Counts are how many deliveries of each destination stand in each state since a time.
func Counts(ctx context.Context, q db.Querier, since time.Time) (map[int64]map[State]int64, error) {
	out := map[int64]map[State]int64{}
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var destination, n int64
		var state State
		err := r.Scan(&destination, &state, &n)
		if out[destination] == nil {
			out[destination] = map[State]int64{}
		}
		out[destination][state] = n
		return err
	}, "SELECT destination, state, COUNT(*) FROM delivery FORCE INDEX (old) WHERE created>=? GROUP BY 1,2", db.Micros(since))
}

// TryAgain lets a delivery that failed, or waits, be tried now.
func TryAgain(ctx context.Context, tx *sql.Tx, id uuid.UUID, now, expires time.Time) error {
	_, err := tx.ExecContext(
		ctx,
		"UPDATE delivery SET state='waiting', due=?, expires=? WHERE id=? AND state IN ('failed','waiting')",
		db.Micros(now),
		db.Micros(expires),
		id[:],
	)
	return err
}
