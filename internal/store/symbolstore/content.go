package symbolstore

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
)

const addPart = "INSERT IGNORE INTO symbol_part (project, hash, part, body) VALUES (?,?,?,?)"

// SymbolPart is how many bytes of a content one part holds at most: of all but
// the last it is exactly as many.
const SymbolPart = 4 << 20

// uploadLife is how long parts of a content that was not sent to its end are kept.
const uploadLife = 24 * time.Hour

// HaveSymbols says which of the hashes a project holds already.
func (s *Store) HaveSymbols(ctx context.Context, project int64, hashes [][32]byte) (map[[32]byte]bool, error) {
	out := map[[32]byte]bool{}
	for chunk := range slices.Chunk(hashes, db.StatementRows) {
		args := []any{project}
		for _, h := range chunk {
			args = append(args, bytes.Clone(h[:]))
		}
		err := db.Each(ctx, s.db, func(r *sql.Rows) error {
			var h []byte
			if err := r.Scan(&h); err != nil {
				return err
			}
			out[[32]byte(h)] = true
			return nil
		}, "SELECT hash FROM symbol_content WHERE project=? AND hash IN ("+db.Marks(len(chunk))+")", args...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// PartsOf lists which parts are there of contents that were not sent to their end.
func (s *Store) PartsOf(ctx context.Context, project int64, hashes [][32]byte) (map[[32]byte][]int, error) {
	out := map[[32]byte][]int{}
	for chunk := range slices.Chunk(hashes, db.StatementRows) {
		args := []any{project}
		for _, h := range chunk {
			args = append(args, bytes.Clone(h[:]))
		}
		err := db.Each(ctx, s.db, func(r *sql.Rows) error {
			var h []byte
			var part int
			if err := r.Scan(&h, &part); err != nil {
				return err
			}
			out[[32]byte(h)] = append(out[[32]byte(h)], part)
			return nil
		}, "SELECT p.hash, p.part FROM symbol_upload u JOIN symbol_part p ON p.project=u.project AND p.hash=u.hash WHERE u.project=? AND u.hash IN ("+db.Marks(len(chunk))+") ORDER BY p.hash, p.part", args...)
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// PutSymbols stores whole contents under their hashes.
// Doing it again does nothing.
func (s *Store) PutSymbols(ctx context.Context, project int64, contents [][]byte) ([][32]byte, error) {
	hashes := make([][32]byte, len(contents))
	var parts, rows [][]any
	now := db.Micros(s.db.Now())
	for i, raw := range contents {
		hashes[i] = sha256.Sum256(raw)
		stored := 0
		for part := 0; part*SymbolPart < len(raw); part++ {
			packed := pipeline.Compress(raw[part*SymbolPart : min((part+1)*SymbolPart, len(raw))])
			stored += len(packed)
			parts = append(parts, []any{project, bytes.Clone(hashes[i][:]), part, packed})
		}
		rows = append(rows, []any{project, bytes.Clone(hashes[i][:]), len(raw), stored, now})
	}
	return hashes, s.db.InTx(ctx, func(tx *sql.Tx) error {
		for _, p := range parts { // one by one: together they may be more than a packet
			if _, err := tx.ExecContext(ctx, addPart, p...); err != nil {
				return err
			}
		}
		return db.InsertRows(ctx, tx, "INSERT IGNORE INTO symbol_content (project, hash, bytes, stored, created)", "", rows)
	})
}

// PutSymbolPart stores one part of a larger content of so many bytes. With the
// last one the whole is compared with its hash; when it differs, all its parts
// are dropped and it is problem.BadInput.
func (s *Store) PutSymbolPart(ctx context.Context, project int64, hash [32]byte, total int64, part int,
	raw []byte) (complete bool, err error) {
	parts := int((total + SymbolPart - 1) / SymbolPart)
	want := int64(SymbolPart)
	if part == parts-1 {
		want = total - int64(part)*SymbolPart
	}
	if part < 0 || part >= parts || int64(len(raw)) != want {
		return false, problem.New(problem.BadInput, "part %d of %x has %d bytes; of a content of %d bytes it has %d", part, hash[:6], len(raw), total, max(want, 0))
	}
	have, err := s.HaveSymbols(ctx, project, [][32]byte{hash})
	if err != nil || have[hash] {
		return true, err
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO symbol_upload (project, hash, bytes, started) VALUES (?,?,?,?)", project, hash[:], total, db.Micros(s.db.Now())); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, addPart, project, hash[:], part, pipeline.Compress(raw))
		return err
	})
	if err != nil {
		return false, err
	}
	var there int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM symbol_part WHERE project=? AND hash=?", project, hash[:]).Scan(&there); err != nil || there < parts {
		return false, err
	}
	return true, s.completeUpload(ctx, project, hash, parts)
}

// completeUpload compares the parts with the hash they stand under.
func (s *Store) completeUpload(ctx context.Context, project int64, hash [32]byte, parts int) error {
	h := sha256.New()
	bytes, stored := 0, 0
	for part := range parts {
		raw, packed, err := s.symbolPart(ctx, project, hash, part)
		if err != nil {
			return err
		}
		h.Write(raw)
		bytes, stored = bytes+len(raw), stored+packed
	}
	got := [32]byte(h.Sum(nil))
	err := s.db.InTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM symbol_upload WHERE project=? AND hash=?", project,
			hash[:]); err != nil {
			return err
		}
		if got == hash {
			_, err := tx.ExecContext(ctx, "INSERT IGNORE INTO symbol_content (project, hash, bytes, stored, created) VALUES (?,?,?,?,?)", project, hash[:], bytes, stored, db.Micros(s.db.Now()))
			return err
		}
		_, err := tx.ExecContext(ctx, "DELETE FROM symbol_part WHERE project=? AND hash=?", project, hash[:])
		return err
	})
	if err == nil && got != hash {
		return problem.New(problem.BadInput, "what was sent as %x has the SHA-256 %x: it was changed while it was sent; its parts were dropped, send it again", hash[:6], got[:6])
	}
	return err
}

func (s *Store) symbolPart(ctx context.Context, project int64, hash [32]byte,
	part int) (raw []byte, stored int, err error) {
	var body []byte
	err = s.db.QueryRowContext(ctx, "SELECT body FROM symbol_part WHERE project=? AND hash=? AND part=?", project, hash[:], part).Scan(&body)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, 0, fmt.Errorf("symbol content %s: %w", hex.EncodeToString(hash[:6]), pipeline.ErrNoContent)
	}
	if err != nil {
		return nil, 0, fmt.Errorf("symbol content %x: %w", hash[:6], err)
	}
	raw, err = pipeline.Decompress(body)
	return raw, len(body), err
}

// SymbolContent reads a content back; pipeline.ErrNoContent when it is not there.
func (s *Store) SymbolContent(ctx context.Context, project int64, hash [32]byte) ([]byte, error) {
	var bytes int64
	err := s.db.QueryRowContext(ctx, "SELECT bytes FROM symbol_content WHERE project=? AND hash=?", project, hash[:]).Scan(&bytes)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fmt.Errorf("symbol content %x: %w", hash[:6], pipeline.ErrNoContent)
	}
	if err != nil {
		return nil, fmt.Errorf("symbol content %x: %w", hash[:6], err)
	}
	out := make([]byte, 0, bytes)
	for part := 0; int64(len(out)) < bytes; part++ {
		raw, _, err := s.symbolPart(ctx, project, hash, part)
		if err != nil {
			return nil, err
		}
		if len(raw) == 0 {
			return nil, fmt.Errorf("symbol content %x: part %d is empty", hash[:6], part)
		}
		out = append(out, raw...)
	}
	return out, nil
}
