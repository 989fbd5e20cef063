package segments

import (
	"context"
	"database/sql"
	"slices"
	"time"

	"firethorn/internal/db"
)

// NumberUsers gives users their numbers, making those that are new. next is the
// greatest number of the project so far; the greatest after it is returned. It needs
// the project's lock.
func NumberUsers(
	ctx context.Context,
	tx *sql.Tx,
	project int64,
	users []int64,
	next int64,
) (map[int64]uint32, int64, error) {
	slices.Sort(users)
	users = slices.Compact(users)
	out, err := UserNumbers(ctx, tx, project, users)
	if err != nil {
		return nil, next, err
	}
	var rows [][]any
	for _, u := range users {
		if out[u] == 0 {
			next++
			out[u] = uint32(next)
			rows = append(rows, []any{project, u, next})
		}
	}
	if len(rows) == 0 {
		return out, next, nil
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO user_number (project, user, number)", "", rows); err != nil {
		return nil, next, err
	}
	_, err = tx.ExecContext(ctx, "UPDATE project_counter SET users=? WHERE project=?", next, project)
	return out, next, err
}

// UserNumbers gives the numbers of those users that have one.
func UserNumbers(ctx context.Context, q db.Querier, project int64, users []int64) (map[int64]uint32, error) {
	out := map[int64]uint32{}
	for chunk := range slices.Chunk(users, db.AskedRows) {
		err := db.Each(ctx, q, func(r *sql.Rows) error {
			var user int64
			var number uint32
			err := r.Scan(&user, &number)
			out[user] = number
			return err
		}, "SELECT user, number FROM user_number WHERE project=? AND user IN ("+db.Marks(len(chunk))+")", append([]any{project}, db.AnyOf(chunk)...)...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// UsersOf gives the users of numbers.
func UsersOf(ctx context.Context, q db.Querier, project int64, numbers []int64) (map[uint32]int64, error) {
	out := map[uint32]int64{}
	for chunk := range slices.Chunk(numbers, db.AskedRows) {
		err := db.Each(ctx, q, func(r *sql.Rows) error {
			var user int64
			var number uint32
			err := r.Scan(&user, &number)
			out[number] = user
			return err
		}, "SELECT user, number FROM user_number WHERE project=? AND number IN ("+db.Marks(len(chunk))+")", append([]any{project}, db.AnyOf(chunk)...)...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// UsersNamed gives the users that an identity, by its hash, was seen with, and the
// one whose own it is.
func UsersNamed(ctx context.Context, q db.Querier, project, identity int64) ([]int64, error) {
	return db.Numbers(
		ctx,
		q,
		"SELECT user FROM user_identity WHERE project=? AND identity=? UNION SELECT user FROM user_number WHERE project=? AND user=?",
		project,
		identity,
		project,
		identity,
	)
}

// ForgetUser puts a replacement in the place of a user that is erased.
func ForgetUser(ctx context.Context, tx *sql.Tx, project, user, replacement int64) error {
	if _, err := tx.ExecContext(ctx, "DELETE FROM user_identity WHERE project=? AND user=?", project,
		user); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM user_identity WHERE project=? AND identity=?", project,
		user); err != nil {
		return err
	}
	var known int
	if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM user_number WHERE project=? AND user=?", project,
		replacement).Scan(&known); err != nil ||
		known > 0 {
		return err
	}
	_, err := tx.ExecContext(
		ctx,
		"UPDATE user_number SET user=? WHERE project=? AND user=?",
		replacement,
		project,
		user,
	)
	return err
}

// SessionUsers gives the users of the sessions that began in a time, each with their
// number in the index, 0 where no event of theirs was processed, and when their last
// session began.
func SessionUsers(ctx context.Context, q db.Querier, project int64, from, to time.Time,
	got func(number uint32, started time.Time)) error {
	return db.Each(ctx, q, func(r *sql.Rows) error {
		var number uint32
		var started int64
		err := r.Scan(&number, &started)
		got(number, db.FromMicros(started))
		return err
	}, "SELECT COALESCE(MAX(n.number),0), MAX(s.started) FROM app_session s FORCE INDEX (by_start) LEFT JOIN user_number n ON n.project=s.project AND n.user=s.user"+
		" WHERE s.project=? AND s.started>=? AND s.started<? AND s.user IS NOT NULL GROUP BY s.user",
		project, db.Micros(from), db.Micros(to))
}
