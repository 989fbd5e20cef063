package similar

import (
	"context"
	"database/sql"
	"encoding/json"
	"slices"
	"time"

	"firethorn/internal/core/review"
	"firethorn/internal/db"
)

const (
	reviewIssues   = 5_000 // with most events in the window
	reviewVariants = 50    // of one issue, the largest
)

// ReviewIssues reads what the review of a project's grouping looks at: the
// issues with most events in the window, with what their variants look like.
// ids are their internal ids, in their order.
func (s *Service) ReviewIssues(ctx context.Context, project int64) (list []review.Issue, ids []int64, err error) {
	at := map[int64]int{}
	err = db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var id int64
		var x review.Issue
		if err := r.Scan(&id, &x.Number, &x.Headline, &x.Events, &x.Users, &x.Merged); err != nil {
			return err
		}
		at[id] = len(list)
		list, ids = append(list, x), append(ids, id)
		return nil
	}, "SELECT l.issue, i.number, l.headline, l.window_events, l.window_users, EXISTS (SELECT 1 FROM move m WHERE m.to_issue=l.issue AND m.kind IN ('merge','follow','join') AND m.undone_by IS NULL)"+
		" FROM (SELECT * FROM issue_list WHERE project=? ORDER BY window_events DESC, issue LIMIT ?) l JOIN issue i ON i.id=l.issue ORDER BY l.window_events DESC, l.issue", project, reviewIssues)
	if err != nil {
		return nil, nil, err
	}
	for chunk := range slices.Chunk(db.AnyOf(ids), db.StatementRows) {
		err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
			var id int64
			var v review.Variant
			var body, attributes []byte
			if err := r.Scan(&id, &v.Events, &v.Ruled, &v.Part, &body, &attributes); err != nil {
				return err
			}
			x := &list[at[id]]
			if len(x.Variants) >= reviewVariants {
				return nil
			}
			if err := json.Unmarshal(body, &v.Sketch); err != nil {
				return err
			}
			if err := json.Unmarshal(attributes, &v.Attributes); err != nil {
				return err
			}
			x.Variants = append(x.Variants, v)
			return nil
		}, "SELECT v.issue, v.events, "+WasRuled+", v.base_fingerprint IS NOT NULL, s.body, s.attributes FROM variant v JOIN sketch s ON s.variant=v.id WHERE v.issue IN ("+db.Marks(len(chunk))+") ORDER BY v.issue, v.events DESC, v.id, s.n", chunk...)
		if err != nil {
			return nil, nil, err
		}
	}
	return list, ids, nil
}

// Unsketched is how many variants of a project are not compared yet.
func (s *Service) Unsketched(ctx context.Context, project int64) (n int64, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM variant WHERE sketched=0 AND project=?", project).Scan(&n)
	return n, err
}

// GroupingDay is how variable a project's grouping was on a day (UTC).
type GroupingDay struct {
	Day                   time.Time
	Issues, Causes, Mixed int
}

// NoteGrouping writes down how variable grouping is today, and, where nothing
// is known of them, on the days before by the issues that were seen then.
func (s *Service) NoteGrouping(ctx context.Context, project int64, list []review.Issue, ids []int64,
	of review.CauseOf) error {
	number := map[int64]int64{}
	for i, id := range ids {
		number[id] = list[i].Number
	}
	type day struct {
		issues, mixed int
		causes        map[int64]bool
	}
	today := int64(db.Day(s.db.Now()))
	days := map[int64]*day{}
	for chunk := range slices.Chunk(db.AnyOf(ids), db.StatementRows) {
		err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
			var id, at int64
			if err := r.Scan(&id, &at); err != nil {
				return err
			}
			d := days[at]
			if d == nil {
				d = &day{causes: map[int64]bool{}}
				days[at] = d
			}
			n := number[id]
			d.issues++
			d.causes[of.Cause[n]] = true
			if of.Mixed[n] {
				d.mixed++
			}
			return nil
		}, "SELECT issue, day FROM issue_trend WHERE issue IN ("+db.Marks(len(chunk))+
			") AND day>? AND day<=? AND events>0", append(chunk, today-14, today)...)
		if err != nil {
			return err
		}
	}
	var before, now [][]any
	for at, d := range days {
		row := []any{project, at, int64(d.issues), int64(len(d.causes)), int64(d.mixed)}
		if at == today {
			now = append(now, row)
		} else {
			before = append(before, row)
		}
	}
	const into = "INTO grouping_day (project, day, issues, causes, mixed)"
	if err := db.InsertRows(ctx, s.db, "INSERT IGNORE "+into, "", before); err != nil {
		return err
	}
	return db.InsertRows(ctx, s.db, "REPLACE "+into, "", now)
}

// GroupingDays lists how variable grouping was, oldest first.
func (s *Service) GroupingDays(ctx context.Context, project int64, days int) (list []GroupingDay, err error) {
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var d GroupingDay
		var at int
		err := r.Scan(&at, &d.Issues, &d.Causes, &d.Mixed)
		d.Day = time.Unix(int64(at)*86400, 0).UTC()
		list = append(list, d)
		return err
	}, "SELECT day, issues, causes, mixed FROM grouping_day WHERE project=? AND day>? ORDER BY day", project, db.Day(s.db.Now())-days)
	return list, err
}
