package mariadb

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/fault"
	"firethorn/internal/pipeline"
)

// HaveSymbols says which of the hashes a project holds already.
func (s *Store) HaveSymbols(ctx context.Context, project int64, hashes [][32]byte) (map[[32]byte]bool, error) {
	out := map[[32]byte]bool{}
	if len(hashes) == 0 {
		return out, nil
	}
	args := []any{project}
	for _, h := range hashes {
		args = append(args, bytes.Clone(h[:]))
	}
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var h []byte
		if err := r.Scan(&h); err != nil {
			return err
		}
		out[[32]byte(h)] = true
		return nil
	}, "SELECT hash FROM symbol_content WHERE project=? AND hash IN ("+marks(len(hashes))+")", args...)
	return out, err
}

// PutSymbols stores a file's content under its hash. Doing it again does nothing.
func (s *Store) PutSymbols(ctx context.Context, project int64, raw []byte) ([32]byte, error) {
	h := sha256.Sum256(raw)
	_, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO symbol_content (project, hash, bytes, body, created) VALUES (?,?,?,?,?)", project, h[:], len(raw), pipeline.Compress(raw), micros(s.now()))
	return h, err
}

// SymbolContent reads a content back.
func (s *Store) SymbolContent(ctx context.Context, project int64, hash [32]byte) ([]byte, error) {
	var body []byte
	err := s.db.QueryRowContext(ctx, "SELECT body FROM symbol_content WHERE project=? AND hash=?", project, hash[:]).Scan(&body)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fmt.Errorf("symbol content %x: %w", hash[:6], pipeline.ErrNoContent)
	}
	if err != nil {
		return nil, fmt.Errorf("symbol content %x: %w", hash[:6], err)
	}
	return pipeline.Decompress(body)
}

// AddSymbolFiles says which contents the files of a release have. It returns
// how many were new.
func (s *Store) AddSymbolFiles(ctx context.Context, project int64, release string, files []pipeline.SymbolFile) (int, error) {
	added := 0
	err := s.InTx(ctx, func(tx *sql.Tx) error {
		added = 0
		ids, err := s.intern(ctx, tx, releases, project, []string{release}, micros(s.now()), nil)
		if err != nil {
			return err
		}
		for _, f := range files {
			var debug any
			if id, err := uuid.Parse(f.DebugID); err == nil {
				debug = id[:]
			}
			res, err := tx.ExecContext(ctx, "INSERT IGNORE INTO symbol_file (project, app_release, address, address_hash, bundle, map, debug_id, created) VALUES (?,?,?,?,?,?,?,?)",
				project, ids[release], f.Address, hash16(f.Address), f.Bundle[:], f.Map[:], debug, micros(s.now()))
			if err != nil {
				return err
			}
			n, err := res.RowsAffected()
			if err != nil {
				return err
			}
			added += int(n)
		}
		_, err = tx.ExecContext(ctx, "UPDATE project_counter SET symbols_version=symbols_version+1, changed=changed+1 WHERE project=?", project)
		return err
	})
	return added, err
}

// SymbolFiles lists a release's files, oldest first.
func (s *Store) SymbolFiles(ctx context.Context, project int64, release string) ([]pipeline.SymbolFile, error) {
	if release == "" {
		return nil, nil
	}
	return s.symbolFiles(ctx, "f.project=? AND f.app_release=(SELECT id FROM app_release WHERE project=? AND hash=?)", project, project, hash16(release))
}

// SymbolByDebugID finds the newest file with a debug id; nil when there is none.
func (s *Store) SymbolByDebugID(ctx context.Context, project int64, debugID string) (*pipeline.SymbolFile, error) {
	id, err := uuid.Parse(debugID)
	if err != nil {
		return nil, nil // no id, so nothing carries it
	}
	list, err := s.symbolFiles(ctx, "f.project=? AND f.debug_id=?", project, id[:])
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[len(list)-1], nil
}

func (s *Store) symbolFiles(ctx context.Context, cond string, args ...any) ([]pipeline.SymbolFile, error) {
	var out []pipeline.SymbolFile
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var f pipeline.SymbolFile
		var bundle, mp, debug []byte
		if err := r.Scan(&f.Address, &bundle, &mp, &debug); err != nil {
			return err
		}
		f.Bundle, f.Map = [32]byte(bundle), [32]byte(mp)
		if len(debug) == 16 {
			f.DebugID = uuid.UUID(debug).String()
		}
		out = append(out, f)
		return nil
	}, "SELECT f.address, f.bundle, f.map, f.debug_id FROM symbol_file f WHERE "+cond+" ORDER BY f.id", args...)
	return out, err
}

// SymbolListing is a pushed file as lists show it.
type SymbolListing struct {
	Release, Address, DebugID, MapHash string
	BundleBytes, MapBytes              int64
	Created                            time.Time
}

// ListSymbols lists a project's pushed files, newest first; release "" is all.
func (s *Store) ListSymbols(ctx context.Context, project int64, release string, limit int) ([]SymbolListing, error) {
	var out []SymbolListing
	cond, args := "f.project=?", []any{project}
	if release != "" {
		cond += " AND r.hash=?"
		args = append(args, hash16(release))
	}
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var l SymbolListing
		var debug, mp []byte
		var created int64
		if err := r.Scan(&l.Release, &l.Address, &debug, &mp, &l.BundleBytes, &l.MapBytes, &created); err != nil {
			return err
		}
		if len(debug) == 16 {
			l.DebugID = uuid.UUID(debug).String()
		}
		l.MapHash, l.Created = hex.EncodeToString(mp), fromMicros(created)
		out = append(out, l)
		return nil
	}, "SELECT r.name, f.address, f.debug_id, f.map, COALESCE(b.bytes,0), COALESCE(m.bytes,0), f.created FROM symbol_file f JOIN app_release r ON r.id=f.app_release"+
		" LEFT JOIN symbol_content b ON b.project=f.project AND b.hash=f.bundle LEFT JOIN symbol_content m ON m.project=f.project AND m.hash=f.map WHERE "+cond+" ORDER BY f.id DESC LIMIT ?", append(args, limit)...)
	return out, err
}

// NeedSymbols fails with fault.BadInput when a content was named but not pushed.
func (s *Store) NeedSymbols(ctx context.Context, project int64, hashes [][32]byte) error {
	have, err := s.HaveSymbols(ctx, project, hashes)
	if err != nil {
		return err
	}
	for _, h := range hashes {
		if !have[h] && h != ([32]byte{}) {
			return fault.New(fault.BadInput, "the content %x was not pushed; push it first", h[:])
		}
	}
	return nil
}
