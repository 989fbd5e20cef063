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
	Issue   int64  // that it stands for
}

// OfIssues lists the tickets of issues, in the order in which they were made, and those that
// are being made, which have no key.
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
		list := out[s.Issue]
		if n := len(list); n == 0 || list[n-1].ID != t.ID {
			out[s.Issue] = append(list, s)
		}
		return err
	}, "SELECT "+columns+", d.name AS tracker, COALESCE(i.merged_into, i.id) AS issue FROM ticket_issue x JOIN issue i ON i.id=x.issue JOIN ticket t ON t.id=x.ticket JOIN destination d ON d.id=t.destination"+
		" WHERE x.issue"+in+" OR x.issue IN (SELECT m.id FROM issue m WHERE m.merged_into"+in+") ORDER BY issue, t.id", args...)
}
