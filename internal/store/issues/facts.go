package issues

import (
	"context"
	"database/sql"

	"firethorn/internal/db"
)

// Fact is what the trace of a variant says. It changes when symbols come late.
type Fact struct {
	Variant, Project                               int64
	Type, Message, File, Function, Headline, Place string
}

// WriteFacts writes what variants say, in place of what stood there.
func WriteFacts(ctx context.Context, tx *sql.Tx, list []Fact) error {
	rows := make([][]any, 0, len(list))
	ids := make([]any, 0, len(list))
	for _, f := range list {
		rows = append(rows, []any{f.Variant, f.Project, f.Type, f.Message, f.File, f.Function, f.Headline, f.Place})
		ids = append(ids, f.Variant)
	}
	if len(rows) == 0 {
		return nil
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO variant_fact (variant, project, type, message, file, function, headline, place)",
		" ON DUPLICATE KEY UPDATE type=VALUES(type), message=VALUES(message), file=VALUES(file), function=VALUES(function), headline=VALUES(headline), place=VALUES(place)", rows); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "UPDATE variant SET facts=1 WHERE facts=0 AND id IN ("+db.Marks(len(ids))+")", ids...)
	return err
}

// CopyFacts lets a variant say what the one says that it is a part of.
func CopyFacts(ctx context.Context, tx *sql.Tx, from, to int64) error {
	if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO variant_fact (variant, project, type, message, file, function, headline, place)"+
		" SELECT ?, project, type, message, file, function, headline, place FROM variant_fact WHERE variant=?", to, from); err != nil {
		return err
	}
	_, err := tx.ExecContext(
		ctx,
		"UPDATE variant v JOIN variant_fact f ON f.variant=v.id SET v.facts=1 WHERE v.id=?",
		to,
	)
	return err
}

// MembersChanged notes that variants of a project went to other issues, or say
// something else, so that what is remembered of them is read again.
func MembersChanged(ctx context.Context, tx *sql.Tx, project int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE project_counter SET memberships=memberships+1 WHERE project=?", project)
	return err
}

// Reindex notes that what issues are found by has changed.
func Reindex(ctx context.Context, tx *sql.Tx, ids ...int64) error {
	_, err := tx.ExecContext(
		ctx,
		"UPDATE issue_list SET worded=0 WHERE issue IN ("+db.Marks(len(ids))+")",
		db.AnyOf(ids)...)
	return err
}
