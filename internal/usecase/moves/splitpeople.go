package moves

import (
	"context"
	"database/sql"
	"maps"
	"slices"

	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/usecase/ingest"
)

// movePeople moves the pairs of users, and counts users again on both sides: how
// many of those concerned each had before, and has then.
func (t *transfer) movePeople(ctx context.Context) error {
	if len(t.users) == 0 {
		return nil
	}
	before, err := t.peopleOf(ctx)
	if err != nil {
		return err
	}
	if err := t.givePairs(ctx); err != nil {
		return err
	}
	if err := t.takePairs(ctx); err != nil {
		return err
	}
	after, err := t.peopleOf(ctx)
	if err != nil {
		return err
	}
	for id, a := range after {
		b := before[id]
		if err := issues.AddUsers(ctx, t.tx, id, a.All-b.All, a.Window-b.Window); err != nil {
			return err
		}
		days := maps.Clone(a.Days)
		maps.Copy(days, b.Days)
		for day := range days {
			if err := addTrend(ctx, t.tx, id, day, 0, a.Days[day]-b.Days[day]); err != nil {
				return err
			}
		}
		if _, err := t.tx.ExecContext(ctx, "DELETE FROM issue_trend WHERE issue=? AND events=0 AND users=0", id); err != nil {
			return err
		}
	}
	return nil
}

// peopleOf counts the users concerned in both issues.
func (t *transfer) peopleOf(ctx context.Context) (map[int64]ingest.Hits, error) {
	out := map[int64]ingest.Hits{}
	for _, id := range []int64{t.from.issue, t.to.issue} {
		p := ingest.Hits{Days: map[int64]int64{}}
		start, _, err := listedFrom(ctx, t.tx, id)
		if err != nil {
			return nil, err
		}
		for chunk := range slices.Chunk(db.AnyOf(slices.Sorted(maps.Keys(t.users))), db.StatementRows) {
			var all, window int64
			err := t.tx.QueryRowContext(ctx, "SELECT COUNT(DISTINCT user), COUNT(DISTINCT IF(last_day>=?, user, NULL)) FROM issue_user WHERE issue=? AND user IN ("+db.Marks(len(chunk))+")", append([]any{start, id}, chunk...)...).Scan(&all, &window)
			if err != nil {
				return nil, err
			}
			p.All, p.Window = p.All+all, p.Window+window
		}
		for day, users := range ingest.ByFirst(t.userDays) {
			for chunk := range slices.Chunk(users, db.StatementRows) {
				var n int64
				err := t.tx.QueryRowContext(ctx, "SELECT COUNT(DISTINCT user) FROM issue_user_day WHERE issue=? AND day=? AND user IN ("+db.Marks(len(chunk))+")", append([]any{id, day}, chunk...)...).Scan(&n)
				if err != nil {
					return nil, err
				}
				p.Days[day] += n
			}
		}
		out[id] = p
	}
	return out, nil
}

// givePairs writes the pairs of the events' users under their new variant.
func (t *transfer) givePairs(ctx context.Context) error {
	var users, days [][]any
	for u, last := range t.users {
		users = append(users, []any{t.to.issue, u, t.to.variant, last})
	}
	for k := range t.userDays {
		days = append(days, []any{t.to.issue, k.A, k.B, t.to.variant})
	}
	if err := db.InsertRows(ctx, t.tx, ingest.UsersHead, ingest.UsersTail, users); err != nil {
		return err
	}
	return db.InsertRows(ctx, t.tx, ingest.UserDaysHead, "", days)
}

// takePairs removes the pairs that no event of the old variant represents any
// more. Where days were dropped, pairs stay but for days that are kept: nobody
// can say whose they were.
func (t *transfer) takePairs(ctx context.Context) error {
	last, days := map[int64]int64{}, map[ingest.Key2]bool{}
	users := db.AnyOf(slices.Sorted(maps.Keys(t.users))) // asked for at once: many of them read all of the variant
	err := db.Each(ctx, t.tx, func(r *sql.Rows) error {
		var user, day int64
		err := r.Scan(&user, &day)
		last[user] = max(last[user], day)
		days[ingest.Key2{A: day, B: user}] = true
		return err
	}, "SELECT DISTINCT user, thrown DIV 86400000000 FROM event WHERE project=? AND variant=? AND user IN ("+db.Marks(len(users))+")", append([]any{t.project, t.from.variant}, users...)...)
	if err != nil {
		return err
	}
	for k := range t.userDays {
		if !days[k] {
			if _, err := t.tx.ExecContext(ctx, "DELETE FROM issue_user_day WHERE issue=? AND day=? AND user=? AND variant=?", t.from.issue, k.A, k.B, t.from.variant); err != nil {
				return err
			}
		}
	}
	if t.from.dropped > 0 {
		return nil
	}
	for u := range t.users {
		query, args := "DELETE FROM issue_user WHERE issue=? AND user=? AND variant=?", []any{t.from.issue, u, t.from.variant}
		if day, stays := last[u]; stays {
			query, args = "UPDATE issue_user SET last_day=? WHERE issue=? AND user=? AND variant=?", append([]any{day}, args...)
		}
		if _, err := t.tx.ExecContext(ctx, query, args...); err != nil {
			return err
		}
	}
	return nil
}
