package tickets

import (
	"context"
	"database/sql"

	"firethorn/internal/db"
)

// Shown is a ticket as lists and pages show it.
type Shown struct {
	Ticket
	Tracker string // the name of its destination
	Issue   int64  // that it represents
}

// OfIssues lists the tickets of issues, in the order in which they were made.
func OfIssues(ctx context.Context, q db.Querier, ids []int64) (map[int64][]Shown, error) {
	out := map[int64][]Shown{}
	if len(ids) == 0 {
		return out, nil
	}
	args := make([]any, 0, 2*len(ids))
	for range 2 {
		for _, id := range ids {
			args = append(args, id)
		}
	}
	in := " IN (" + db.Marks(len(ids)) + ")"
	return out, db.Each(ctx, q, func(r *sql.Rows) error {
		var s Shown
		t, err := scanWith(r, db.Into{"tracker": &s.Tracker, "issue": &s.Issue})
		s.Ticket = *t
		out[s.Issue] = append(out[s.Issue], s)
		return err
	}, "SELECT "+columns+", d.name AS tracker, y.issue FROM (SELECT x.ticket, x.issue FROM ticket_issue x WHERE x.issue"+in+
		" UNION SELECT x.ticket, m.merged_into FROM issue m JOIN ticket_issue x ON x.issue=m.id WHERE m.merged_into"+in+
		") y JOIN ticket t ON t.id=y.ticket JOIN destination d ON d.id=t.destination ORDER BY y.issue, t.id", args...)
}
