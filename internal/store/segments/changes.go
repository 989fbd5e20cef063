package segments

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
)

// Change is what became of one event since it was processed.
type Change struct {
	Position int64
	KeepDay  int
	Revision int
	columns.Patch
}

// Changes reads what became of events of a project, at most limit of them, in the
// order of their days; 0: all.
func Changes(ctx context.Context, q db.Querier, project int64, limit int) ([]Change, error) {
	query := "SELECT position, keep_day, revision, gone, blank, variant, user_number, cells FROM segment_change WHERE project=?" + " ORDER BY keep_day, position"
	args := []any{project}
	if limit > 0 {
		query += " LIMIT ?"
		args = append(args, limit)
	}
	return db.List(ctx, q, func(r *sql.Rows) (c Change, err error) {
		var variant, user sql.Null[uint32]
		var cells []byte
		if err := db.ScanNames(r, db.Into{"position": &c.Position, "keep_day": &c.KeepDay, "revision": &c.Revision,
			"gone": &c.Gone, "blank": &c.Blank, "variant": &variant, "user_number": &user,
			"cells": &cells}); err != nil {
			return c, err
		}
		if variant.Valid {
			c.Variant = &variant.V
		}
		if user.Valid {
			c.User = &user.V
		}
		if cells != nil {
			err = json.Unmarshal(cells, &c.Cells)
			if c.Cells == nil {
				c.Cells = []columns.Cell{}
			}
		}
		return c, err
	}, query, args...)
}

// WriteChanges notes changes of events, in addition to those noted already. It
// happens in the transaction that changes them.
func WriteChanges(ctx context.Context, tx *sql.Tx, project int64, list []Change) error {
	rows := make([][]any, 0, len(list))
	for _, c := range list {
		var cells, variant, user any
		if c.Cells != nil && !c.Blank {
			raw, err := json.Marshal(c.Cells)
			if err != nil {
				return fmt.Errorf("cells of position %d: %w", c.Position, err)
			}
			cells = raw
		}
		if c.Variant != nil {
			variant = *c.Variant
		}
		if c.User != nil {
			user = *c.User
		}
		rows = append(rows, []any{project, c.Position, c.KeepDay, c.Gone, c.Blank, variant, user, cells})
	}
	return db.InsertRows(
		ctx,
		tx,
		"INSERT INTO segment_change (project, position, keep_day, gone, blank, variant, user_number, cells)",
		" ON DUPLICATE KEY UPDATE gone=GREATEST(gone, VALUES(gone)), cells=IF(blank=1 OR VALUES(blank)=1, NULL, COALESCE(VALUES(cells), cells)),"+
			" blank=GREATEST(blank, VALUES(blank)), variant=COALESCE(VALUES(variant), variant), user_number=COALESCE(VALUES(user_number), user_number), revision=revision+1",
		rows,
	)
}

// Folded takes changes away that are in their segment now, those of them that are
// still as they were read.
func Folded(ctx context.Context, tx *sql.Tx, project int64, list []Change) error {
	for _, c := range list {
		if _, err := tx.ExecContext(ctx, "DELETE FROM segment_change WHERE project=? AND keep_day=? AND position=? AND revision=?",
			project, c.KeepDay, c.Position, c.Revision); err != nil {
			return err
		}
	}
	return nil
}

// Changed lists the projects with changes that are in no segment yet.
func Changed(ctx context.Context, q db.Querier) ([]int64, error) {
	return db.Numbers(ctx, q, "SELECT DISTINCT project FROM segment_change")
}

// Covering finds the segment that holds a position; ok is false where none does.
func Covering(
	ctx context.Context,
	q db.Querier,
	project int64,
	keepDay int,
	position int64,
) (m Meta, ok bool, err error) {
	list, err := db.List(ctx, q, scanMeta, "SELECT "+metaColumns+
		" FROM segment WHERE project=? AND keep_day=? AND first_position<=? ORDER BY first_position DESC LIMIT 1", project, keepDay, position)
	if err != nil || len(list) == 0 || list[0].Last < position {
		return Meta{}, false, err
	}
	return list[0], true, nil
}
