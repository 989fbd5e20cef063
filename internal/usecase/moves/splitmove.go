package moves

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"maps"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/segments"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/scoring"
)

// transfer moves events from one variant to another, with everything
// derived from them.
type transfer struct {
	s        *Service
	tx       *sql.Tx
	project  int64
	from, to place

	keys               []BodyKey
	events, bodies     int64
	hours, days        map[int64]int64
	releases, environs map[int64]*ingest.Span
	users              map[int64]int64      // user → newest day
	userDays           map[ingest.Key2]bool // day, user
}

// place is a variant and its issue.
type place struct{ variant, issue, dropped int64 }

// Note is where events of a variant are noted that are to go to another one:
// rows of a table with filing and keep_day.
type Note struct {
	Table, Where string
	Args         []any
}

// MoveEvents moves the events that were noted of a variant to another, up to a
// chunk of them, and takes them off the note.
func (s *Service) MoveEvents(ctx context.Context, tx *sql.Tx, project int64, n Note, from, to int64) error {
	t := &transfer{s: s, tx: tx, project: project, hours: map[int64]int64{}, days: map[int64]int64{},
		releases: map[int64]*ingest.Span{}, environs: map[int64]*ingest.Span{},
		users: map[int64]int64{}, userDays: map[ingest.Key2]bool{}}
	t.from.variant, t.to.variant = from, to
	for _, p := range []*place{&t.from, &t.to} {
		if err := tx.QueryRowContext(ctx, "SELECT issue, dropped_events FROM variant WHERE id=?",
			p.variant).Scan(&p.issue, &p.dropped); err != nil {
			return err
		}
	}
	noted, last, err := t.load(ctx, n)
	if err != nil {
		return err
	}
	var steps []func(context.Context) error
	if len(t.keys) > 0 {
		steps = append(steps, t.rows, t.slot, t.counts, t.movePeople)
	}
	if last {
		steps = append(steps, t.spans)
	}
	for _, step := range steps {
		if err := step(ctx); err != nil {
			return fmt.Errorf("events from variant %d to %d: %w", from, to, err)
		}
	}
	if len(steps) > 0 {
		for _, id := range []int64{t.from.issue, t.to.issue} {
			if err := s.arrived(ctx, tx, id); err != nil {
				return err
			}
		}
	}
	for chunk := range slices.Chunk(noted, db.StatementRows) {
		if _, err := tx.ExecContext(ctx,
			"DELETE FROM "+n.Table+" WHERE "+n.Where+" AND filing IN ("+db.Marks(len(chunk))+")",
			append(slices.Clone(n.Args), chunk...)...); err != nil {
			return err
		}
	}
	return nil
}

// load reads what the noted events are now. Those that are not there any more,
// or in a partition that is about to go, are left out. last says that no others are noted.
func (t *transfer) load(ctx context.Context, n Note) (noted []any, last bool, err error) {
	err = db.Each(ctx, t.tx, func(r *sql.Rows) error {
		var position int64
		err := r.Scan(&position)
		noted = append(noted, position)
		return err
	}, "SELECT filing FROM "+n.Table+" WHERE "+n.Where+
		" ORDER BY filing LIMIT ?", append(slices.Clone(n.Args), t.s.Chunk+1)...)
	if last = len(noted) <= t.s.Chunk; !last {
		noted = noted[:t.s.Chunk]
	}
	if err != nil || len(noted) == 0 {
		return noted, last, err
	}
	query := "SELECT e.filing, e.keep_day, e.thrown, COALESCE(e.app_release,0) AS app_release, e.environment, e.user, e.stands_for, e.has_body FROM (SELECT filing, keep_day FROM " + n.Table + " WHERE " + n.Where + " AND filing<=? AND keep_day>=?) x" +
		" JOIN event e ON e.project=? AND e.filing=x.filing AND e.keep_day=x.keep_day AND e.variant=?"
	err = db.Each(ctx, t.tx, func(r *sql.Rows) error {
		var k BodyKey
		var thrown, release, env, n, body int64
		var user sql.NullInt64
		if err := db.ScanNames(r,
			db.Into{"filing": &k.Position, "keep_day": &k.KeepDay, "thrown": &thrown, "app_release": &release,
				"environment": &env, "user": &user, "stands_for": &n, "has_body": &body}); err != nil {
			return err
		}
		day := int64(db.Day(db.FromMicros(thrown)))
		t.keys = append(t.keys, k)
		t.events += n
		t.bodies += body
		t.hours[thrown/3600_000_000] += n
		t.days[day] += n
		if release != 0 {
			grow(t.releases, release, n, thrown)
		}
		grow(t.environs, env, n, thrown)
		if user.Valid {
			t.users[user.Int64] = max(t.users[user.Int64], day)
			t.userDays[ingest.Key2{A: day, B: user.Int64}] = true
		}
		return nil
	}, query, append(slices.Clone(n.Args), noted[len(noted)-1], db.Day(t.s.db.Now()), t.project, t.from.variant)...)
	slices.SortFunc(t.keys, func(a, b BodyKey) int { return cmp.Compare(a.Position, b.Position) })
	return noted, last, err
}

func grow(m map[int64]*ingest.Span, k, n, at int64) {
	if m[k] == nil {
		m[k] = &ingest.Span{}
	}
	m[k].Add(n, at)
}

// rows lets the events name their new variant.
func (t *transfer) rows(ctx context.Context) error {
	byDay := map[int64][]any{} // each partition is asked for its own events
	for _, k := range t.keys {
		byDay[k.KeepDay] = append(byDay[k.KeepDay], k.Position)
	}
	for _, day := range slices.Sorted(maps.Keys(byDay)) {
		for chunk := range slices.Chunk(byDay[day], db.StatementRows) {
			args := append([]any{t.to.variant, t.project, day}, chunk...)
			if _, err := t.tx.ExecContext(ctx, "UPDATE event SET variant=? WHERE project=? AND keep_day=? AND filing IN ("+db.Marks(len(chunk))+")", args...); err != nil {
				return err
			}
		}
	}
	if err := t.searched(ctx); err != nil {
		return err
	}
	// Feedback about these events moves with them.
	const feedback = "UPDATE feedback f JOIN event e ON e.project=f.project AND e.id=f.event SET f.variant=e.variant WHERE f.variant=?"
	if _, err := t.tx.ExecContext(ctx, feedback, t.from.variant); err != nil {
		return err
	}
	const totals = "UPDATE variant SET events=events+CAST(? AS SIGNED), bodies=bodies+CAST(? AS SIGNED) WHERE id=?"
	const list = "UPDATE issue_list SET events=events+CAST(? AS SIGNED), bodies=bodies+CAST(? AS SIGNED) WHERE issue=?"
	for _, x := range []struct {
		place
		sign int64
	}{{t.from, -1}, {t.to, 1}} {
		if _, err := t.tx.ExecContext(ctx, totals, x.sign*t.events, x.sign*t.bodies, x.variant); err != nil {
			return err
		}
		if _, err := t.tx.ExecContext(ctx, list, x.sign*t.events, x.sign*t.bodies, x.issue); err != nil {
			return err
		}
	}
	const positions = "UPDATE issue_list SET first_filing=LEAST(first_filing, ?), last_filing=GREATEST(last_filing, ?) WHERE issue=?"
	_, err := t.tx.ExecContext(ctx, positions, t.keys[0].Position, t.keys[len(t.keys)-1].Position, t.to.issue)
	return err
}

// searched lets the search index find the events under their new variant.
func (t *transfer) searched(ctx context.Context) error {
	list := make([]segments.Change, len(t.keys))
	to := uint32(t.to.variant)
	for i, k := range t.keys {
		list[i] = segments.Change{Position: k.Position, KeepDay: int(k.KeepDay), Patch: columns.Patch{Variant: &to}}
	}
	return segments.WriteChanges(ctx, t.tx, t.project, list)
}

// slot takes the newest body of the variant along, if it is of one of the
// events.
func (t *transfer) slot(ctx context.Context) error {
	for chunk := range slices.Chunk(t.keys, db.StatementRows) {
		args := []any{t.from.variant}
		for _, k := range chunk {
			args = append(args, k.Position)
		}
		in := " FROM newest_body WHERE variant=? AND filing IN (" + db.Marks(len(chunk)) + ")"
		if _, err := t.tx.ExecContext(ctx, "INSERT IGNORE INTO newest_body (variant, project, filing, keep_day, written, dictionary, body) SELECT ?, project, filing, keep_day, written, dictionary, body"+in, append([]any{t.to.variant}, args...)...); err != nil {
			return err
		}
		if _, err := t.tx.ExecContext(ctx, "DELETE"+in, args...); err != nil {
			return err
		}
	}
	return nil
}

// counts moves what is counted by hour, day, release and environment.
func (t *transfer) counts(ctx context.Context) error {
	oldest := int64(db.Day(t.s.db.Now())-scoring.HourDays+1) * 24
	maps.DeleteFunc(t.hours, func(hour, _ int64) bool { return hour < oldest }) // such rows are gone
	for _, x := range []struct {
		table, column string
		counts        map[int64]int64
	}{{"issue_hour", "hour", t.hours}, {"issue_day", "day", t.days}} {
		for k, n := range x.counts {
			if err := t.take(ctx, x.table, x.column, k, n); err != nil {
				return err
			}
			if _, err := t.tx.ExecContext(ctx, "INSERT INTO "+x.table+" (issue, "+x.column+", variant, events) VALUES (?,?,?,?) ON DUPLICATE KEY UPDATE events=events+VALUES(events)", t.to.issue, k, t.to.variant, n); err != nil {
				return err
			}
		}
	}
	for _, x := range []struct {
		table, column string
		counts        map[int64]*ingest.Span
	}{{"issue_release", "app_release", t.releases}, {"issue_env", "environment", t.environs}} {
		for k, sp := range x.counts {
			if err := t.take(ctx, x.table, x.column, k, sp.Events); err != nil {
				return err
			}
			const add = " ON DUPLICATE KEY UPDATE events=events+VALUES(events), first_seen=LEAST(first_seen, VALUES(first_seen)), last_seen=GREATEST(last_seen, VALUES(last_seen))"
			if _, err := t.tx.ExecContext(ctx, "INSERT INTO "+x.table+" (issue, "+x.column+", variant, events, first_seen, last_seen) VALUES (?,?,?,?,?,?)"+add, t.to.issue, k, t.to.variant, sp.Events, sp.First, sp.Last); err != nil {
				return err
			}
		}
	}
	for day, n := range t.days {
		for _, x := range []struct{ issue, sign int64 }{{t.from.issue, -1}, {t.to.issue, 1}} {
			if err := addTrend(ctx, t.tx, x.issue, day, x.sign*n, 0); err != nil {
				return err
			}
			start, _, err := listedFrom(ctx, t.tx, x.issue)
			if err != nil {
				return err
			}
			if day >= start {
				if err := issues.AddWindowEvents(ctx, t.tx, x.issue, x.sign*n); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// take takes events off a row of counts, and the row away with the last.
func (t *transfer) take(ctx context.Context, table, column string, k, n int64) error {
	if _, err := t.tx.ExecContext(ctx,
		"UPDATE "+table+" SET events=events-? WHERE issue=? AND "+column+"=? AND variant=?", n, t.from.issue, k,
		t.from.variant); err != nil {
		return err
	}
	_, err := t.tx.ExecContext(ctx, "DELETE FROM "+table+" WHERE issue=? AND "+column+"=? AND variant=? AND events=0",
		t.from.issue, k, t.from.variant)
	return err
}

// spans makes again when what stays was first and last seen, by release and
// environment, of those that the part has, too; where days were dropped it stays as it was. It reads
// all events of the variant, so it is done once, with the last of those that go.
func (t *transfer) spans(ctx context.Context) error {
	if t.from.dropped > 0 {
		return nil
	}
	rels, envs := map[int64]*ingest.Span{}, map[int64]*ingest.Span{}
	err := db.Each(ctx, t.tx, func(r *sql.Rows) error {
		var release, env, first, last int64
		if err := r.Scan(&release, &env, &first, &last); err != nil {
			return err
		}
		for _, at := range []int64{first, last} {
			grow(rels, release, 1, at)
			grow(envs, env, 1, at)
		}
		return nil
	}, "SELECT COALESCE(app_release,0), environment, MIN(thrown), MAX(thrown) FROM event FORCE INDEX (by_variant) WHERE variant=? GROUP BY 1,2", t.from.variant)
	if err != nil {
		return err
	}
	for _, x := range []struct {
		table, column string
		stay          map[int64]*ingest.Span
	}{{"issue_release", "app_release", rels}, {"issue_env", "environment", envs}} {
		gone, err := db.Numbers(ctx, t.tx, "SELECT "+x.column+" FROM "+x.table+" WHERE issue=? AND variant=?",
			t.to.issue, t.to.variant)
		if err != nil {
			return err
		}
		for _, k := range gone {
			if sp := x.stay[k]; sp != nil {
				if _, err := t.tx.ExecContext(ctx,
					"UPDATE "+x.table+" SET first_seen=?, last_seen=? WHERE issue=? AND "+x.column+"=? AND variant=?",
					sp.First, sp.Last, t.from.issue, k, t.from.variant); err != nil {
					return err
				}
			}
		}
	}
	return nil
}
