package symbolstore

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
)

// symbolPage is how many bytes of compiled symbols stand in one row: what fits
// on one page of the database beside the row itself.
const symbolPage = pipeline.SymbolPage

// SymbolUnit reads what a file compiled to; its state is "" when it is gone.
func (s *Store) SymbolUnit(ctx context.Context, id int64) (u pipeline.SymbolUnit, err error) {
	return u, s.scanUnit(ctx, &u, "u.id=?", id)
}

// PrepareSymbolsAnew has the symbols of a project compiled again that were
// compiled in a form before one; it says how many. What is readable now may be
// unreadable until then.
func (s *Store) PrepareSymbolsAnew(ctx context.Context, project int64, form int) (int64, error) {
	done, err := s.db.ExecContext(ctx, "UPDATE symbol_unit SET state='waiting' WHERE project=? AND state='ready' AND format<?", project, form)
	if err != nil {
		return 0, err
	}
	return done.RowsAffected()
}

// WaitingSymbols lists units that are not compiled, the oldest first: those of
// a project, or of all (0).
func (s *Store) WaitingSymbols(ctx context.Context, project int64, limit int) (list []pipeline.SymbolUnit, err error) {
	query, args := "SELECT id FROM symbol_unit WHERE state='waiting' ORDER BY id LIMIT ?", []any{limit}
	if project != 0 {
		query, args = "SELECT id FROM symbol_unit WHERE state='waiting' AND project=? ORDER BY id LIMIT ?", []any{project, limit}
	}
	ids, err := db.Numbers(ctx, s.db, query, args...)
	for _, id := range ids {
		u, err := s.SymbolUnit(ctx, id)
		if err != nil {
			return nil, err
		}
		list = append(list, u)
	}
	return list, err
}

func (s *Store) scanUnit(ctx context.Context, u *pipeline.SymbolUnit, cond string, args ...any) error {
	var bundle, mp []byte
	var bundleBytes, mapBytes sql.NullInt64
	err := db.FirstInto(ctx, s.db, db.Into{"id": &u.ID, "project": &u.Project, "bundle": &bundle, "map": &mp, "state": &u.State, "format": &u.Format, "bytes": &u.Bytes, "note": &u.Note, "bundle_bytes": &bundleBytes, "map_bytes": &mapBytes}, "SELECT u.id, u.project, u.bundle, u.map, u.state, u.format, u.bytes, u.note, b.bytes AS bundle_bytes, m.bytes AS map_bytes FROM symbol_unit u"+
		" LEFT JOIN symbol_content b ON b.project=u.project AND b.hash=u.bundle LEFT JOIN symbol_content m ON m.project=u.project AND m.hash=u.map WHERE "+cond, args...)
	if errors.Is(err, sql.ErrNoRows) {
		*u = pipeline.SymbolUnit{}
		return nil
	}
	if err != nil {
		return fmt.Errorf("symbols: %w", err)
	}
	u.Bundle, u.Map, u.Raw = [32]byte(bundle), [32]byte(mp), bundleBytes.Int64+mapBytes.Int64
	return nil
}

// PutCompiled stores what units compiled to, or why they did not. What waited
// for them is looked at again.
func (s *Store) PutCompiled(ctx context.Context, list []pipeline.CompiledUnit) error {
	byProject := map[int64][]pipeline.CompiledUnit{}
	for _, u := range list {
		var rows [][]any
		for chunk := range slices.Chunk(u.Compiled, symbolPage) {
			rows = append(rows, []any{u.ID, len(rows), chunk})
		}
		// Pages that no unit says it has are nobody's: no transaction over all of them.
		if len(rows) > db.StatementRows {
			if err := db.InsertRows(ctx, s.db, writePages, "", rows); err != nil {
				return err
			}
		}
		byProject[u.Project] = append(byProject[u.Project], u)
	}
	for project, list := range byProject {
		if err := s.db.InTx(ctx, func(tx *sql.Tx) error { return putCompiled(ctx, tx, project, list) }); err != nil {
			return err
		}
	}
	return nil
}

const writePages = "REPLACE INTO symbol_page (unit, page, body)"

func putCompiled(ctx context.Context, tx *sql.Tx, project int64, list []pipeline.CompiledUnit) error {
	if err := projects.Lock(ctx, tx, project); err != nil {
		return err
	}
	var in []int64
	var ids [][]byte
	for _, u := range list {
		var rows [][]any
		for chunk := range slices.Chunk(u.Compiled, symbolPage) {
			rows = append(rows, []any{u.ID, len(rows), chunk})
		}
		if len(rows) <= db.StatementRows {
			if err := db.InsertRows(ctx, tx, writePages, "", rows); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM symbol_page WHERE unit=? AND page>=?", u.ID,
			len(rows)); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE symbol_unit SET state=?, format=?, bytes=?, note=? WHERE id=?", u.State, u.Format, len(u.Compiled), event.TrimText(u.Note, 500), u.ID); err != nil {
			return err
		}
		err := db.Each(ctx, tx, func(r *sql.Rows) error {
			var release int64
			var id []byte
			err := r.Scan(&release, &id)
			if !slices.Contains(in, release) {
				in = append(in, release)
			}
			if len(id) == 16 && (len(ids) == 0 || !slices.Equal(ids[len(ids)-1], id)) {
				ids = append(ids, id)
			}
			return err
		}, "SELECT app_release, debug_id FROM symbol_file WHERE unit=?", u.ID)
		if err != nil {
			return err
		}
	}
	return lookAgain(ctx, tx, project, in, ids)
}

// SymbolPages reads pages of compiled symbols, in order.
func (s *Store) SymbolPages(ctx context.Context, unit int64, from, to int) (pages [][]byte, err error) {
	return pages, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var body []byte
		err := r.Scan(&body)
		pages = append(pages, body)
		return err
	}, "SELECT body FROM symbol_page WHERE unit=? AND page BETWEEN ? AND ? ORDER BY page", unit, from, to)
}
