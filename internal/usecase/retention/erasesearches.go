package retention

import (
	"context"
	"database/sql"
	"slices"
	"strings"

	"firethorn/internal/core/query"
	"firethorn/internal/db"
)

// eraseSearches deletes the saved searches that name the user.
func eraseSearches(ctx context.Context, tx *sql.Tx, project int64, identity string) error {
	var gone []int64
	err := db.Each(ctx, tx, func(r *sql.Rows) error {
		var id int64
		var text string
		if err := r.Scan(&id, &text); err != nil {
			return err
		}
		tree, err := query.Parse(text)
		if err != nil || !query.Walk(tree, func(n query.Node) bool { return !names(n, identity) }) {
			gone = append(gone, id)
		}
		return nil
	}, "SELECT id, search FROM saved_search WHERE project=?", project)
	if err != nil || len(gone) == 0 {
		return err
	}
	_, err = tx.ExecContext(ctx, "DELETE FROM saved_search WHERE id IN ("+db.Marks(len(gone))+")", db.AnyOf(gone)...)
	return err
}

// names says whether a part of a search has an identity as its value.
func names(n query.Node, identity string) bool {
	t, ok := n.(query.Term)
	return ok && slices.ContainsFunc(t.Values, func(v query.Value) bool {
		whole, exact := v.Text()
		return exact && strings.EqualFold(whole, identity)
	})
}

// searchTexts deletes the user's feedback from the search texts, and the user of each session.
func (e *eraser) searchTexts(ctx context.Context) error {
	if _, err := e.s.db.Slow.ExecContext(ctx, "DELETE FROM feedback WHERE project=? AND user=?", e.p.ID,
		e.user); err != nil {
		return err
	}
	_, err := e.s.db.Slow.ExecContext(ctx, "UPDATE app_session SET user=? WHERE project=? AND user=?", e.replacement,
		e.p.ID, e.user)
	return err
}
