package ingest

import (
	"context"
	"database/sql"
	"maps"
	"slices"

	"firethorn/internal/db"
	"firethorn/internal/store/issues"
)

// Span is a count with the first and last time it was seen.
type Span struct{ Events, First, Last int64 }

// Add counts n events at a time.
func (s *Span) Add(n, at int64) {
	if s.Events == 0 || at < s.First {
		s.First = at
	}
	if s.Events == 0 || at > s.Last {
		s.Last = at
	}
	s.Events += n
}

// UsersHead and UsersTail are the statement that writes who was affected, around
// its rows; UserDaysHead the one that writes on which days.
const (
	UsersHead    = "INSERT INTO issue_user (issue, user, variant, last_day)"
	UsersTail    = " ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, VALUES(last_day))"
	UserDaysHead = "INSERT IGNORE INTO issue_user_day (issue, day, user, variant)"
)

// Key2 is a key of two ids or days.
type Key2 struct{ A, B int64 }

type key3 struct{ a, b, c int64 }

type key4 struct{ a, b, c, d int64 }

// count adds the batch to every derived table: aggregated first, then one row
// a key, sorted.
func (w *batchTx) count(ctx context.Context) error {
	t := w.totals()
	if err := w.writeUsers(ctx, t); err != nil {
		return err
	}
	const add = " ON DUPLICATE KEY UPDATE events=events+VALUES(events)"
	if err := w.upsert(ctx, "INSERT INTO issue_hour (issue, hour, variant, events)", add, counts(t.hours),
		3); err != nil {
		return err
	}
	if err := w.upsert(ctx, "INSERT INTO issue_day (issue, day, variant, events)", add, counts(t.days), 3); err != nil {
		return err
	}
	if err := w.countTrend(ctx, t.days); err != nil {
		return err
	}
	if err := w.countPulse(ctx, t.pulse); err != nil {
		return err
	}
	if err := w.countActive(ctx, t.active); err != nil {
		return err
	}
	const addSpans = add + ", first_seen=LEAST(first_seen, VALUES(first_seen)), last_seen=GREATEST(last_seen, VALUES(last_seen))"
	if err := w.upsert(ctx, "INSERT INTO issue_release (issue, app_release, variant, events, first_seen, last_seen)", addSpans, spans(t.rels), 3); err != nil {
		return err
	}
	if err := w.countReleases(ctx, t.rels); err != nil {
		return err
	}
	if err := w.upsert(ctx, "INSERT INTO issue_env (issue, environment, variant, events, first_seen, last_seen)", addSpans, spans(t.envs), 3); err != nil {
		return err
	}
	var variants [][]any
	for _, id := range slices.Sorted(maps.Keys(t.variants)) {
		variants = append(variants, []any{id, t.variants[id], w.bodies[id]})
	}
	return w.s.db.UpdateFixed(ctx, w.tx, []string{"id", "events", "bodies"}, "STRAIGHT_JOIN variant v ON v.id=x.id SET v.events=v.events+x.events, v.bodies=v.bodies+x.bodies", variants)
}

// totals is what a batch adds to the derived tables.
type totals struct {
	variants   map[int64]int64 // variant → events
	pulse      map[Key2]int64  // issue and slot → events
	active     map[int64]int64 // user → last day
	users      map[key3]int64  // issue, user, variant → last day
	userDays   map[key4]bool   // issue, day, user, variant
	hours      map[key3]int64  // issue, hour, variant → events
	days       map[key3]int64  // issue, day, variant → events
	rels, envs map[key3]*Span  // issue, release or environment, variant
}

// totals sums a batch's events, and users that were found late.
func (w *batchTx) totals() totals {
	t := totals{variants: map[int64]int64{}, pulse: map[Key2]int64{}, active: map[int64]int64{},
		users: map[key3]int64{}, userDays: map[key4]bool{},
		hours: map[key3]int64{}, days: map[key3]int64{}, rels: map[key3]*Span{}, envs: map[key3]*Span{}}
	for _, r := range w.rows {
		issue, v, at, n := r.variant.issue, r.variant.ID, db.Micros(r.When.Thrown), r.Event.StandsFor
		day := int64(db.Day(r.When.Thrown))
		t.variants[v] += n
		t.hours[key3{issue, r.When.Thrown.Unix() / 3600, v}] += n
		t.days[key3{issue, day, v}] += n
		if r.release != 0 {
			addSpan(t.rels, key3{issue, r.release, v}, n, at)
		}
		addSpan(t.envs, key3{issue, r.env, v}, n, at)
		if !r.odd && w.now.Sub(r.When.Thrown) < issues.PulseKept {
			t.pulse[Key2{issue, issues.SlotOf(r.When.Thrown)}] += n
		}
		if r.HasUser {
			t.addUser(issue, r.User, v, day)
		}
	}
	for _, u := range w.lateUsers {
		t.addUser(u.issue, u.user, u.variant, u.day)
		t.days[key3{u.issue, u.day, u.variant}] += 0 // its day's users are written with its events
	}
	return t
}

func (t *totals) addUser(issue, user, variant, day int64) {
	t.active[user] = max(t.active[user], day)
	k := key3{issue, user, variant}
	t.users[k] = max(t.users[k], day)
	t.userDays[key4{issue, day, user, variant}] = true
}

// writeUsers writes which users a batch's events are of.
func (w *batchTx) writeUsers(ctx context.Context, t totals) error {
	if err := w.countUsers(ctx, t.users, t.userDays); err != nil {
		return err
	}
	var rows [][]any
	for k, day := range t.users {
		rows = append(rows, []any{k.a, k.b, k.c, day})
	}
	if err := w.upsert(ctx, UsersHead, UsersTail, rows, 3); err != nil {
		return err
	}
	rows = nil
	for k := range t.userDays {
		rows = append(rows, []any{k.a, k.b, k.c, k.d})
	}
	return w.upsert(ctx, UserDaysHead, "", rows, 4)
}

func addSpan(m map[key3]*Span, k key3, n, at int64) {
	if m[k] == nil {
		m[k] = &Span{}
	}
	m[k].Add(n, at)
}

func counts(m map[key3]int64) (rows [][]any) {
	for k, n := range m {
		rows = append(rows, []any{k.a, k.b, k.c, n})
	}
	return rows
}

func spans(m map[key3]*Span) (rows [][]any) {
	for k, s := range m {
		rows = append(rows, []any{k.a, k.b, k.c, s.Events, s.First, s.Last})
	}
	return rows
}

// countReleases adds to the totals of releases.
func (w *batchTx) countReleases(ctx context.Context, rels map[key3]*Span) error {
	by := map[int64]*Span{}
	for k, s := range rels {
		if by[k.b] == nil {
			by[k.b] = &Span{}
		}
		by[k.b].Add(s.Events, s.First)
	}
	var rows [][]any
	for release, s := range by {
		rows = append(rows, []any{release, s.Events, s.First, 1})
	}
	return w.upsert(ctx, "INSERT INTO release_total (app_release, events, first_seen, changes)",
		" ON DUPLICATE KEY UPDATE events=events+VALUES(events), first_seen=LEAST(first_seen, VALUES(first_seen)), changes=changes+1", rows, 1)
}

func (w *batchTx) upsert(ctx context.Context, head, tail string, rows [][]any, keys int) error {
	if len(rows) == 0 {
		return nil
	}
	db.SortRows(rows, keys)
	return w.s.db.InsertFixed(ctx, w.tx, head, tail, rows)
}

// countUsers finds which users are new to their issue, new to its window, and
// new to a day, before the pairs are written.
func (w *batchTx) countUsers(ctx context.Context, users map[key3]int64, userDays map[key4]bool) error {
	byIssue := map[int64]map[int64]int64{} // issue → user → newest day in this batch
	for k, day := range users {
		if byIssue[k.a] == nil {
			byIssue[k.a] = map[int64]int64{}
		}
		byIssue[k.a][k.b] = max(byIssue[k.a][k.b], day)
	}
	known := map[Key2]int64{} // issue, user → newest day known
	var pairs [][]any
	for issue, set := range byIssue {
		for u := range set {
			pairs = append(pairs, []any{issue, u})
		}
	}
	db.SortRows(pairs, 2)
	err := db.EachOf(ctx, w.tx, "issue, user", pairs, func(r *sql.Rows) error {
		var k Key2
		var last int64
		err := r.Scan(&k.A, &k.B, &last)
		known[k] = max(known[k], last)
		return err
	}, "SELECT u.issue, u.user, u.last_day FROM x STRAIGHT_JOIN issue_user u ON u.issue=x.issue AND u.user=x.user")
	if err != nil {
		return err
	}
	start := int64(w.windowStart())
	for issue, set := range byIssue {
		is := w.issues[issue]
		for u, day := range set {
			last, ok := known[Key2{issue, u}]
			if !ok {
				is.users++
			}
			if day >= start && (!ok || last < start) {
				is.windowUsers++
			}
		}
	}
	return w.countDayUsers(ctx, userDays)
}

// countDayUsers adds to each issue's trend the users that are new to a day.
func (w *batchTx) countDayUsers(ctx context.Context, userDays map[key4]bool) error {
	byDay := map[Key2]map[int64]bool{}
	for k := range userDays {
		d := Key2{k.a, k.b}
		if byDay[d] == nil {
			byDay[d] = map[int64]bool{}
		}
		byDay[d][k.c] = true
	}
	var wanted [][]any
	for d, set := range byDay {
		for u := range set {
			wanted = append(wanted, []any{d.A, d.B, u})
		}
	}
	db.SortRows(wanted, 3)
	known := map[key3]bool{}
	err := db.EachOf(ctx, w.tx, "issue, day, user", wanted, func(r *sql.Rows) error {
		var k key3
		err := r.Scan(&k.a, &k.b, &k.c)
		known[k] = true
		return err
	}, "SELECT d.issue, d.day, d.user FROM x STRAIGHT_JOIN issue_user_day d ON d.issue=x.issue AND d.day=x.day AND d.user=x.user")
	if err != nil {
		return err
	}
	for d, set := range byDay {
		for u := range set {
			if !known[key3{d.A, d.B, u}] {
				w.issues[d.A].dayUsers[d.B]++
			}
		}
	}
	return nil
}

func (w *batchTx) countTrend(ctx context.Context, days map[key3]int64) error {
	sums := map[Key2]int64{}
	for k, n := range days {
		sums[Key2{k.a, k.b}] += n
	}
	var rows [][]any
	start := int64(w.windowStart())
	for k, n := range sums {
		is := w.issues[k.A]
		rows = append(rows, []any{k.A, k.B, n, is.dayUsers[k.B]})
		is.events += n
		if k.B >= start {
			is.windowEvents += n
		}
	}
	return w.upsert(ctx, "INSERT INTO issue_trend (issue, day, events, users)", " ON DUPLICATE KEY UPDATE events=events+VALUES(events), users=users+VALUES(users)", rows, 2)
}

// Hits is how many of some users an issue has: in all, in its window, and by
// day.
type Hits struct {
	All, Window int64
	Days        map[int64]int64
}

// ByFirst groups pairs by their first number.
func ByFirst(m map[Key2]bool) map[int64][]any {
	out := map[int64][]any{}
	for k := range m {
		out[k.A] = append(out[k.A], k.B)
	}
	return out
}
