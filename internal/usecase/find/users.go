package find

import (
	"cmp"
	"context"
	"maps"
	"math"
	"slices"
	"time"

	"firethorn/internal/core/event"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// Somebody is a user with what their events call them.
type Somebody struct {
	Identities map[string][]string // by attribute, newest first
	Events     int64
	First      time.Time
	Last       time.Time
}

// UsersAsk asks for a list of users.
type UsersAsk struct {
	Ask
	Limit int
	After *UserCursor
}

// UserCursor is where a page of users ended.
type UserCursor struct {
	Events, Last int64
	Number       uint32
}

// UserPage is a page of users, those with most events first, then the one seen last.
type UserPage struct {
	Completeness
	Users []Somebody
	Total int64
	Next  *UserCursor
}

// tally is what is counted of a user.
type tally struct {
	number      uint32
	events      int64
	first, last int64
}

func (t tally) cursor() UserCursor { return UserCursor{t.events, t.last, t.number} }

// compare is the order of users in a list.
func (c UserCursor) compare(o UserCursor) int {
	return cmp.Or(cmp.Compare(o.Events, c.Events), cmp.Compare(o.Last, c.Last), cmp.Compare(c.Number, o.Number))
}

// Users lists the users of the events that match a search.
func (s *Service) Users(ctx context.Context, q UsersAsk) (*UserPage, error) {
	a, err := s.ask(ctx, q.Ask, q.window())
	if err != nil {
		return nil, err
	}
	defer a.done()
	t, err := a.test(ctx)
	if err != nil {
		return nil, err
	}
	hits, err := a.run(ctx, t)
	if err != nil {
		return nil, err
	}
	list := tallies(hits)
	page := &UserPage{Completeness: a.completeness(), Total: int64(len(list))}
	slices.SortFunc(list, func(x, y tally) int { return x.cursor().compare(y.cursor()) })
	if q.After != nil {
		at, _ := slices.BinarySearchFunc(list, *q.After, func(x tally, c UserCursor) int {
			if x.cursor().compare(c) <= 0 {
				return -1
			}
			return 1
		})
		list = list[at:]
	}
	if len(list) > q.Limit {
		list = list[:q.Limit]
		next := list[q.Limit-1].cursor()
		page.Next = &next
	}
	called, err := a.called(ctx, hits, list)
	for _, x := range list {
		page.Users = append(page.Users, x.somebody(called[x.number]))
	}
	return page, err
}

func (t tally) somebody(identities map[string][]string) Somebody {
	return Somebody{identities, t.events, db.FromMicros(t.first), db.FromMicros(t.last)}
}

// tallies counts the events of each user.
func tallies(hits []hit) []tally {
	sums := map[uint32]*tally{}
	for _, h := range hits {
		h.rows.Each(func(row int) {
			u := h.core.Users[row]
			if u == 0 {
				return
			}
			t := sums[u]
			if t == nil {
				t = &tally{number: u, first: math.MaxInt64, last: math.MinInt64}
				sums[u] = t
			}
			t.events += h.core.Weight(row)
			t.first, t.last = min(t.first, h.core.Times[row]), max(t.last, h.core.Times[row])
		})
	}
	out := make([]tally, 0, len(sums))
	for _, t := range sums {
		out = append(out, *t)
	}
	return out
}

// maxIdentities is how many values of one identity of a user are returned.
const maxIdentities = 5

// called gives what the events of users call them, by number and attribute.
func (a *asked) called(ctx context.Context, hits []hit, list []tally) (map[uint32]map[string][]string, error) {
	out := map[uint32]map[string][]string{}
	for _, t := range list {
		out[t.number] = map[string][]string{}
	}
	// Newest segments first; segments without a row of theirs need no columns.
	var theirs []hit
	for _, h := range hits {
		if slices.ContainsFunc(list, func(t tally) bool { return t.first <= h.MaxTime && t.last >= h.MinTime }) {
			theirs = append(theirs, h)
		}
	}
	slices.SortFunc(theirs, func(x, y hit) int { return cmp.Compare(y.Last, x.Last) })
	rows := make([][]int, len(theirs)) // newest first
	each(theirs, func(i int, h hit) {
		h.rows.Each(func(row int) {
			if out[h.core.Users[row]] != nil {
				rows[i] = append(rows[i], row)
			}
		})
		slices.Reverse(rows[i])
	})
	for _, name := range event.IdentityKeys {
		if a.names[name] == 0 {
			continue
		}
		coded, _, err := a.coded(ctx, theirs, name)
		if err != nil {
			return nil, err
		}
		for i, h := range theirs {
			for _, row := range rows[i] {
				of, code := out[h.core.Users[row]], coded[i].code(row)
				if code == 0 || len(of[name]) >= maxIdentities {
					continue
				}
				if v := coded[i].values.At(code - 1).String(); !slices.Contains(of[name], v) {
					of[name] = append(of[name], v)
				}
			}
		}
	}
	return out, nil
}

// UserIssue is what of a user's events belongs to an issue.
type UserIssue struct {
	Issue  *issues.Issue
	Events int64
	First  time.Time
	Last   time.Time
}

// User is all that is known about one user, or about the several users that a name may mean.
type User struct {
	Completeness
	Somebody
	Issues   []UserIssue // those of most events first
	Recent   []*events.EventRow
	Sessions int64
	Several  []Somebody // where a name means more than one; then the rest is empty
}

// recentEvents is how many of a user's newest events are returned.
const recentEvents = 20

// UsersNamed gives the users that a name may mean, as events and sessions keep them.
func (s *Service) UsersNamed(ctx context.Context, p *projects.Project, who string) ([]int64, error) {
	return segments.UsersNamed(ctx, s.db, p.ID, pipeline.UserHash(p.UserSecret, who))
}

// User finds a user by any name that their events call them by.
func (s *Service) User(ctx context.Context, p *projects.Project, asker Asker, who string) (*User, error) {
	q := Ask{Project: p, Window: &Window{}, Asker: asker}
	a, err := s.ask(ctx, q, *q.Window)
	if err != nil {
		return nil, err
	}
	defer a.done()
	users, err := segments.UsersNamed(ctx, a.tx, p.ID, pipeline.UserHash(p.UserSecret, who))
	if err != nil {
		return nil, err
	}
	numbers, err := segments.UserNumbers(ctx, a.tx, p.ID, users)
	if err != nil {
		return nil, err
	}
	wanted := map[uint32]bool{}
	for _, n := range numbers {
		wanted[n] = true
	}
	views, err := a.mayHave(ctx, a.views, wanted)
	if err != nil {
		return nil, err
	}
	hits, err := a.runOn(ctx, userTest{users: wanted}, views)
	if err != nil {
		return nil, err
	}
	list := tallies(hits)
	if len(list) == 0 {
		return nil, problem.New(
			problem.NotFound,
			"no event that is kept of %s names a user %q; their events may be past retention, or the user was erased",
			p.Name,
			event.TrimText(who, 100),
		)
	}
	slices.SortFunc(list, func(x, y tally) int { return x.cursor().compare(y.cursor()) })
	called, err := a.called(ctx, hits, list)
	if err != nil {
		return nil, err
	}
	out := &User{Completeness: a.completeness()}
	if len(list) > 1 {
		for _, t := range list {
			out.Several = append(out.Several, t.somebody(called[t.number]))
		}
		return out, nil
	}
	out.Somebody = list[0].somebody(called[list[0].number])
	return out, a.trail(ctx, hits, slices.Collect(maps.Keys(numbers))[0], out)
}

// trail fills in what a user ran into.
func (a *asked) trail(ctx context.Context, hits []hit, user int64, out *User) error {
	byIssue := map[int64]*tally{}
	var positions []position
	for _, h := range hits {
		h.rows.Each(func(row int) {
			positions = append(positions, position{h.core.Positions[row], h.KeepDay, h.view, row})
			at := a.members.Index(h.core.Variants[row])
			if at < 0 {
				return
			}
			t := byIssue[a.members.Issue[at]]
			if t == nil {
				t = &tally{first: math.MaxInt64, last: math.MinInt64}
				byIssue[a.members.Issue[at]] = t
			}
			t.events += h.core.Weight(row)
			t.first, t.last = min(t.first, h.core.Times[row]), max(t.last, h.core.Times[row])
		})
	}
	found, err := a.s.issues.IssuesByID(ctx, db.AnyOf(slices.Sorted(maps.Keys(byIssue))))
	if err != nil {
		return err
	}
	for id, t := range byIssue {
		if is := found[id]; is != nil {
			out.Issues = append(out.Issues, UserIssue{is, t.events, db.FromMicros(t.first), db.FromMicros(t.last)})
		}
	}
	slices.SortFunc(out.Issues, func(x, y UserIssue) int {
		return cmp.Or(cmp.Compare(y.Events, x.Events), y.Last.Compare(x.Last), cmp.Compare(x.Issue.ID, y.Issue.ID))
	})
	slices.SortFunc(positions, newestFirst)
	positions = positions[:min(len(positions), recentEvents)]
	keys := make([]events.Key, len(positions))
	for i, p := range positions {
		keys[i] = p.key()
	}
	if out.Recent, err = a.s.events.ByKey(ctx, a.tx, a.Project.ID, keys); err != nil {
		return err
	}
	return a.tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM app_session WHERE project=? AND user=?", a.Project.ID, user).
		Scan(&out.Sessions)
}
