package symbolstore

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
)

// PushedFile is a generated file of a release as a build pushes it.
type PushedFile struct {
	Address, DebugID string
	Bundle, Map      [32]byte // Bundle is zero for a map alone
}

// Pushed says what a push did.
type Pushed struct {
	Added, Already int
	Builds         []string // addresses for which the release has another build as well
	Waiting        []int64  // units that are to be compiled
}

// AddSymbolFiles says which contents the files of a release have. Nothing is
// overwritten: two contents of one address stand side by side. What could not
// be read for want of these symbols is looked at again.
func (s *Store) AddSymbolFiles(ctx context.Context, project int64, release string, files []PushedFile) (Pushed, error) {
	var out Pushed
	err := s.db.InTx(ctx, func(tx *sql.Tx) error {
		out = Pushed{}
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		now := db.Micros(s.db.Now())
		ids, err := s.names.Intern(ctx, tx,
			names.Wanted{Table: names.Releases, Project: project, Names: []string{release}, Now: now})
		if err != nil {
			return err
		}
		in := ids[release]
		var debugIDs [][]byte
		for chunk := range slices.Chunk(files, db.StatementRows) {
			units, err := unitsOf(ctx, tx, project, chunk, now)
			if err != nil {
				return err
			}
			for _, f := range chunk {
				u := units[unitKey{f.Bundle, f.Map}]
				var debug any
				if id, err := uuid.Parse(f.DebugID); err == nil {
					debug = id[:]
					debugIDs = append(debugIDs, bytes.Clone(id[:]))
				}
				res, err := tx.ExecContext(ctx, "INSERT IGNORE INTO symbol_file (project, app_release, address, address_hash, name_hash, bundle, map, unit, debug_id, created) VALUES (?,?,?,?,?,?,?,?,?,?)",
					project, in, f.Address, db.Hash16(f.Address), db.Hash16(symbolicate.Name(f.Address)), f.Bundle[:],
					f.Map[:], u.id, debug, now)
				if err != nil {
					return err
				}
				n, err := res.RowsAffected()
				if err != nil {
					return err
				}
				out.Added += int(n)
				out.Already += 1 - int(n)
				if u.waiting && !slices.Contains(out.Waiting, u.id) {
					out.Waiting = append(out.Waiting, u.id)
				}
			}
		}
		if out.Builds, err = otherBuilds(ctx, tx, project, in, files); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "INSERT INTO symbol_release (project, app_release, pushed, used) VALUES (?,?,?,?) ON DUPLICATE KEY UPDATE pushed=VALUES(pushed), used=GREATEST(used, VALUES(used))", project, in, now, now); err != nil {
			return err
		}
		return lookAgain(ctx, tx, project, []int64{in}, debugIDs)
	})
	return out, err
}

type unitKey struct{ bundle, mp [32]byte }

type unitRow struct {
	id      int64
	waiting bool
}

// unitsOf finds or makes what files compile to.
func unitsOf(ctx context.Context, tx *sql.Tx, project int64, files []PushedFile,
	now int64) (map[unitKey]unitRow, error) {
	var rows [][]any
	args := []any{project}
	for _, f := range files {
		rows = append(rows, []any{project, bytes.Clone(f.Bundle[:]), bytes.Clone(f.Map[:]), "waiting", now})
		args = append(args, bytes.Clone(f.Map[:]))
	}
	if err := db.InsertRows(ctx, tx, "INSERT IGNORE INTO symbol_unit (project, bundle, map, state, created)", "", rows); err != nil {
		return nil, err
	}
	out := map[unitKey]unitRow{}
	return out, db.Each(ctx, tx, func(r *sql.Rows) error {
		var bundle, mp []byte
		var u unitRow
		if err := r.Scan(&bundle, &mp, &u.id, &u.waiting); err != nil {
			return err
		}
		out[unitKey{[32]byte(bundle), [32]byte(mp)}] = u
		return nil
	}, "SELECT bundle, map, id, state='waiting' FROM symbol_unit WHERE project=? AND map IN ("+db.Marks(len(files))+")", args...)
}

// otherBuilds lists pushed addresses, a few, that the release has more than
// one build of now, none of them distinguished by a debug id.
func otherBuilds(ctx context.Context, tx *sql.Tx, project, release int64,
	files []PushedFile) (out []string, err error) {
	pushed := map[string]bool{}
	for _, f := range files {
		pushed[f.Address] = true
	}
	return out, db.Each(ctx, tx, func(r *sql.Rows) error {
		var address string
		if err := r.Scan(&address); err != nil {
			return err
		}
		if pushed[address] && len(out) < 20 {
			out = append(out, address)
		}
		return nil
	}, "SELECT MIN(address) FROM symbol_file WHERE project=? AND app_release=? GROUP BY address_hash HAVING COUNT(DISTINCT unit)>1 AND SUM(debug_id IS NULL)>0", project, release)
}

// lookAgain marks the variants that could not be read because symbols are missing of
// these releases, or of files with these debug ids, and lets everybody who
// remembers what a release has ask again.
func lookAgain(ctx context.Context, tx *sql.Tx, project int64, releases []int64, debugIDs [][]byte) error {
	for _, in := range releases {
		if _, err := tx.ExecContext(ctx, "UPDATE variant SET again=1 WHERE project=? AND provisional=1 AND app_release=? AND again=0", project, in); err != nil {
			return err
		}
	}
	for chunk := range slices.Chunk(debugIDs, db.StatementRows) {
		args := []any{project}
		for _, id := range chunk {
			args = append(args, id)
		}
		const query = "UPDATE trace_file t JOIN variant_file x ON x.file=t.id JOIN variant v ON v.id=x.variant SET v.again=1 WHERE t.project=? AND v.provisional=1 AND v.again=0 AND t.debug_id IN ("
		if _, err := tx.ExecContext(ctx, query+db.Marks(len(chunk))+")", args...); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, "UPDATE project_counter SET symbols_version=symbols_version+1, changed=changed+1 WHERE project=?", project)
	return err
}

// SymbolsVersion grows with everything that is pushed to a project, or becomes
// ready to be read.
func (s *Store) SymbolsVersion(ctx context.Context, project int64) (v int64, err error) {
	return v, s.db.QueryRowContext(ctx, "SELECT symbols_version FROM project_counter WHERE project=?", project).Scan(&v)
}

const symbolFileSelect = "SELECT f.address, f.debug_id, f.unit, f.bundle=REPEAT(X'00',32) FROM symbol_file f WHERE "

// ReleaseFiles finds the files of a release that are called by a name, oldest
// first, and counts all it has.
func (s *Store) ReleaseFiles(ctx context.Context, project int64, release,
	name string) (named []pipeline.SymbolFile, all int, err error) {
	var in int64
	in, err = names.IDOf(ctx, s.db, names.Releases, project, release)
	if err == nil && in == 0 {
		return nil, 0, nil
	}
	if err != nil {
		return nil, 0, err
	}
	if named, err = s.symbolFiles(ctx, "f.project=? AND f.app_release=? AND f.name_hash=? ORDER BY f.id LIMIT 2000", project, in, db.Hash16(name)); err != nil || len(named) > 0 {
		return named, len(named), err
	}
	// The number of files is only given if none matches.
	return nil, all, s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM (SELECT 1 FROM symbol_file WHERE project=? AND app_release=? LIMIT 10000) x", project, in).Scan(&all)
}

// ReleaseUnits lists the units of the files that a release has, at most so many.
func (s *Store) ReleaseUnits(ctx context.Context, project int64, release string, limit int) ([]int64, error) {
	const query = "SELECT DISTINCT f.unit FROM symbol_file f JOIN app_release r ON r.id=f.app_release WHERE r.project=? AND r.hash=? AND f.project=? ORDER BY f.unit LIMIT ?"
	return db.Numbers(ctx, s.db, query, project, db.Hash16(release), project, limit)
}

// SymbolsWithID finds the files of a project that carry a debug id, of any
// release, oldest first.
func (s *Store) SymbolsWithID(ctx context.Context, project int64, debugID string) ([]pipeline.SymbolFile, error) {
	id, err := uuid.Parse(debugID)
	if err != nil {
		return nil, nil // no id, so nothing carries it
	}
	return s.symbolFiles(ctx, "f.project=? AND f.debug_id=? ORDER BY f.id DESC LIMIT 100", project, id[:])
}

func (s *Store) symbolFiles(ctx context.Context, cond string, args ...any) (out []pipeline.SymbolFile, err error) {
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var f pipeline.SymbolFile
		var debug []byte
		if err := r.Scan(&f.Address, &debug, &f.Unit, &f.Bare); err != nil {
			return err
		}
		f.Build = fmt.Sprint(f.Unit)
		if len(debug) == 16 {
			f.DebugID = uuid.UUID(debug).String()
		}
		out = append(out, f)
		return nil
	}, symbolFileSelect+cond, args...)
}

// NeedSymbols fails with problem.BadInput when a content was named but not pushed.
func (s *Store) NeedSymbols(ctx context.Context, project int64, hashes [][32]byte) error {
	have, err := s.HaveSymbols(ctx, project, hashes)
	if err != nil {
		return err
	}
	for _, h := range hashes {
		if !have[h] && h != ([32]byte{}) {
			return problem.New(problem.BadInput, "the content %x was not pushed; push it first", h[:])
		}
	}
	return nil
}
