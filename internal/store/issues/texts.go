package issues

import (
	"context"
	"database/sql"

	"firethorn/internal/db"
)

// SearchTexts gives the texts that the words of issues are found in: headline, place and
// message of each, then its comments and those of issues that were merged into it.
func SearchTexts(ctx context.Context, q db.Querier, ids []int64, got func(issue int64, text string)) error {
	in, args := "("+db.Marks(len(ids))+")", db.AnyOf(ids)
	return db.Each(ctx, q, func(r *sql.Rows) error {
		var id int64
		var text string
		err := r.Scan(&id, &text)
		got(id, text)
		return err
	}, "SELECT issue, search_text FROM issue_list WHERE issue IN "+in+
		" UNION ALL SELECT issue, text FROM comment WHERE issue IN "+in+
		" UNION ALL SELECT m.merged_into, c.text FROM issue m JOIN comment c ON c.issue=m.id WHERE m.merged_into IN "+in,
		append(append(args, args...), args...)...)
}
