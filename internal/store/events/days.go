package events

import (
	"cmp"
	"context"
	"database/sql"
	"iter"
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/google/uuid"

	"firethorn/internal/db"
)

// Key names an event within its project.
type Key struct {
	Position int64
	KeepDay  int
}

// span is a day's partition of a project's events: it holds none outside of these positions.
// A partition whose events came late overlaps others.
type span struct {
	day         int
	first, last int64
}

// spans lists the partitions that may hold events of a project in a range of positions, by day.
func (s *Store) spans(ctx context.Context, q db.Querier, project, from, to int64) (list []span, err error) {
	err = db.Each(ctx, q, func(r *sql.Rows) error {
		var x span
		err := r.Scan(&x.day, &x.first, &x.last)
		list = append(list, x)
		return err
	}, "SELECT keep_day, first_position, last_position FROM event_span"+
		" WHERE project=? AND last_position>=? AND first_position<=? ORDER BY keep_day", project, from, to)
	return list, err
}

// Widen notes that events of a project are in the partitions of keys.
func Widen(ctx context.Context, tx *sql.Tx, project int64, keys []Key) error {
	by := map[int]*span{}
	for _, k := range keys {
		x := by[k.KeepDay]
		if x == nil {
			x = &span{k.KeepDay, k.Position, k.Position}
			by[k.KeepDay] = x
		}
		x.first, x.last = min(x.first, k.Position), max(x.last, k.Position)
	}
	var rows [][]any
	for _, day := range slices.Sorted(maps.Keys(by)) {
		rows = append(rows, []any{project, day, by[day].first, by[day].last})
	}
	return db.InsertRows(ctx, tx, "INSERT INTO event_span (project, keep_day, first_position, last_position)",
		" ON DUPLICATE KEY UPDATE first_position=LEAST(first_position, VALUES(first_position)),"+
			" last_position=GREATEST(last_position, VALUES(last_position))", rows)
}

// walk reads the keys of events in order of position. A year has 365 partitions; the wanted
// events are mostly in one or two.
type walk struct {
	direction string // Newest first, or oldest
	limit     int
	// read reads the first keys, in the walk's order, of partitions that a condition selects.
	read func(ctx context.Context, days condition) ([]Key, error)
}

// soon is how many partitions are read after the first one, before all others: a statement about a
// few takes a millisecond, one about a year ten.
const soon = 16

// groups splits partitions into the next one, some after it, and the others; each comes with the
// condition that selects it.
func groups(order []span) iter.Seq2[[]span, condition] {
	return func(yield func(rest []span, c condition) bool) {
		for from, to := 0, 1; from < len(order); from, to = to, to+soon {
			if from > 1 || to > len(order) {
				to = len(order)
			}
			if !yield(order[to:], only(order[from:to], order[:from], order[to:])) {
				return
			}
		}
	}
}

// keys reads more and more partitions until no other one can hold an event that comes
// before those it has.
func (w walk) keys(ctx context.Context, spans []span) ([]Key, error) {
	order := slices.SortedFunc(slices.Values(spans), func(a, b span) int {
		if w.direction == Newest {
			return cmp.Compare(b.last, a.last)
		}
		return cmp.Compare(a.first, b.first)
	})
	var out []Key
	for rest, days := range groups(order) {
		more, err := w.read(ctx, days)
		if err != nil {
			return nil, err
		}
		out = append(out, more...)
		slices.SortFunc(out, func(a, b Key) int {
			if w.direction == Newest {
				return cmp.Compare(b.Position, a.Position)
			}
			return cmp.Compare(a.Position, b.Position)
		})
		out = out[:min(len(out), w.limit)]
		if len(rest) > 0 && w.enough(out, rest[0]) {
			break
		}
	}
	return out, nil
}

// enough says whether there are as many as are wanted, and none in the next partition comes
// before them.
func (w walk) enough(have []Key, next span) bool {
	if len(have) < w.limit {
		return false
	}
	end := have[w.limit-1].Position
	if w.direction == Newest {
		return next.last < end
	}
	return next.first > end
}

// condition is a part of a statement that selects partitions.
type condition struct {
	text string
	args []any
}

// only selects some partitions and none of the others.
func only(some []span, others ...[]span) condition {
	wanted := map[int]bool{}
	var all []int
	for _, x := range some {
		wanted[x.day] = true
		all = append(all, x.day)
	}
	for _, x := range slices.Concat(others...) {
		all = append(all, x.day)
	}
	slices.Sort(all)
	var c condition
	var parts []string
	for i := 0; i < len(all); i++ {
		if !wanted[all[i]] {
			continue
		}
		from := all[i]
		for i+1 < len(all) && wanted[all[i+1]] {
			i++
		}
		parts = append(parts, "keep_day BETWEEN ? AND ?")
		c.args = append(c.args, from, all[i])
	}
	c.text = "(" + strings.Join(parts, " OR ") + ")"
	return c
}

// KeyQuery asks for the keys of events, of an issue or of a project.
type KeyQuery struct {
	Project, Issue int64
	Kept           bool   // only of those whose body is there
	From, Before   int64  // positions; 0: open
	Direction      string // Newest first or oldest
	Limit          int
}

// maxVariants is how many variants of an issue are read, the largest.
const maxVariants = 250

// KeysOfIssue gives the keys of an issue's events in order: for each variant a
// read of its index for events with and without a body, merged.
func (s *Store) KeysOfIssue(ctx context.Context, q db.Querier, k KeyQuery) ([]Key, error) {
	variants, err := db.Numbers(ctx, q, "SELECT id FROM variant WHERE issue=? ORDER BY events DESC LIMIT ?",
		k.Issue, maxVariants)
	if err != nil || len(variants) == 0 {
		return nil, err
	}
	from := []string{"event FORCE INDEX (by_variant) WHERE has_body=1 AND",
		"event FORCE INDEX (by_variant) WHERE has_body=0 AND"}
	if k.Kept {
		from[1] = "newest_body WHERE"
	}
	return s.walk(ctx, q, k, func(rest string, of []any) (string, []any) {
		var parts []string
		var args []any
		for _, v := range variants {
			for _, f := range from {
				parts = append(parts, "(SELECT filing, keep_day FROM "+f+" variant=?"+rest+")")
				args = append(append(args, v), of...)
			}
		}
		return strings.Join(parts, " UNION ALL "), args
	})
}

// keysOfProject gives the keys of a project's events in order, the newest first.
func (s *Store) keysOfProject(ctx context.Context, q db.Querier, project, before int64, limit int) ([]Key, error) {
	return s.keysIn(ctx, q, "event", KeyQuery{Project: project, Before: before, Direction: Newest, Limit: limit})
}

// KeysOfBodies gives the keys of a project's events whose bodies are kept, the newest first; before 0
// is from the newest on.
func (s *Store) KeysOfBodies(ctx context.Context, q db.Querier, project, before int64, limit int) ([]Key, error) {
	return s.keysIn(ctx, q, "event_body", KeyQuery{Project: project, Before: before, Direction: Newest, Limit: limit})
}

func (s *Store) keysIn(ctx context.Context, q db.Querier, table string, k KeyQuery) ([]Key, error) {
	return s.walk(ctx, q, k, func(rest string, of []any) (string, []any) {
		return "SELECT filing, keep_day FROM " + table + " FORCE INDEX (PRIMARY) WHERE project=?" + rest,
			append([]any{k.Project}, of...)
	})
}

// Behind gives a condition that selects the events e of a project after a position, and the values
// of its placeholders.
func (s *Store) Behind(ctx context.Context, q db.Querier, project, position int64) (
	cond string, args []any, err error) {
	spans, err := s.spans(ctx, q, project, position+1, math.MaxInt64)
	if err != nil || len(spans) == 0 {
		return "1=0", nil, err
	}
	days := only(spans)
	return "e.project=? AND e.filing>? AND " + days.text, slices.Concat([]any{project, position}, days.args), nil
}

// walk gives the first keys. query completes a statement with the conditions, the order and the
// limit of each of its parts.
func (s *Store) walk(ctx context.Context, q db.Querier, k KeyQuery,
	query func(rest string, args []any) (string, []any)) ([]Key, error) {
	to := int64(math.MaxInt64)
	cond, ends := "", []any(nil)
	if k.From != 0 {
		cond, ends = " AND filing>=?", append(ends, k.From)
	}
	if k.Before != 0 {
		to = k.Before - 1
		cond, ends = cond+" AND filing<?", append(ends, k.Before)
	}
	spans, err := s.spans(ctx, q, k.Project, k.From, to)
	if err != nil {
		return nil, err
	}
	w := walk{direction: k.Direction, limit: k.Limit}
	order := " ORDER BY filing " + k.Direction + " LIMIT ?"
	w.read = func(ctx context.Context, days condition) (list []Key, err error) {
		text, args := query(cond+" AND "+days.text+order, slices.Concat(ends, days.args, []any{k.Limit}))
		err = db.Each(ctx, q, func(r *sql.Rows) error {
			var key Key
			err := r.Scan(&key.Position, &key.KeepDay)
			list = append(list, key)
			return err
		}, "SELECT filing, keep_day FROM ("+text+") u"+order, append(args, k.Limit)...)
		return list, err
	}
	return w.keys(ctx, spans)
}

// keyOf finds an event by its id: in the newest partitions first.
func (s *Store) keyOf(ctx context.Context, project int64, id uuid.UUID) (list []Key, err error) {
	spans, err := s.spans(ctx, s.db, project, 0, math.MaxInt64)
	slices.SortFunc(spans, func(a, b span) int { return cmp.Compare(b.last, a.last) })
	for _, days := range groups(spans) {
		if err != nil || len(list) > 0 {
			break
		}
		err = db.Each(ctx, s.db, func(r *sql.Rows) error {
			var k Key
			err := r.Scan(&k.Position, &k.KeepDay)
			list = append(list, k)
			return err
		}, "SELECT filing, keep_day FROM event FORCE INDEX (once) WHERE project=? AND id=? AND "+days.text+" LIMIT 1",
			append([]any{project, id[:]}, days.args...)...)
	}
	return list, err
}

// rowsAtOnce limits positions times partitions of a statement: it looks up each position in each of
// its partitions.
const rowsAtOnce = 5000

// ByKeys gives conditions on an event e, each with the values of its placeholders. Together they
// select the events of keys.
func ByKeys(project int64, keys []Key) iter.Seq2[string, []any] {
	byDay := map[int][]any{}
	for _, k := range keys {
		byDay[k.KeepDay] = append(byDay[k.KeepDay], k.Position)
	}
	return func(yield func(string, []any) bool) {
		var parts []string
		args, positions := []any{project}, 0
		days := slices.Sorted(maps.Keys(byDay))
		for i, day := range days {
			of := byDay[day]
			parts = append(parts, "e.keep_day=? AND e.filing IN ("+db.Marks(len(of))+")")
			args, positions = append(append(args, day), of...), positions+len(of)
			if i+1 < len(days) && (positions+len(byDay[days[i+1]]))*(len(parts)+1) <= rowsAtOnce {
				continue
			}
			if !yield("e.project=? AND ("+strings.Join(parts, " OR ")+")", args) {
				return
			}
			parts, args, positions = nil, []any{project}, 0
		}
	}
}
