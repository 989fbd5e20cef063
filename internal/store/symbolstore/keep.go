package symbolstore

import (
	"context"
	"database/sql"
	"encoding/hex"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/db"
	"firethorn/internal/store/projects"
)

// UsedSymbols writes down that units were used now: so were the releases that
// have them.
func (s *Store) UsedSymbols(ctx context.Context, units []int64) error {
	for chunk := range slices.Chunk(db.AnyOf(units), db.StatementRows) {
		const query = "UPDATE symbol_release r JOIN (SELECT DISTINCT project, app_release FROM symbol_file WHERE unit IN (%s)) f ON f.project=r.project AND f.app_release=r.app_release SET r.used=?"
		if _, err := s.db.ExecContext(ctx, fmt.Sprintf(query, db.Marks(len(chunk))),
			append(slices.Clone(chunk), db.Micros(s.db.Now()))...); err != nil {
			return err
		}
	}
	return nil
}

// SymbolListing is a pushed file as lists show it.
type SymbolListing struct {
	Release, Address, DebugID, MapHash string
	State, Note                        string
	BundleBytes, MapBytes              int64
	Created                            time.Time
}

// ListSymbols lists a project's pushed files, newest first; release "" is all.
func (s *Store) ListSymbols(ctx context.Context, project int64, release string, limit int) ([]SymbolListing, error) {
	var out []SymbolListing
	cond, args := "f.project=?", []any{project}
	if release != "" {
		cond += " AND r.hash=?"
		args = append(args, db.Hash16(release))
	}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var l SymbolListing
		var debug, mp []byte
		var created int64
		if err := db.ScanNames(r,
			db.Into{"release_name": &l.Release, "address": &l.Address, "debug_id": &debug, "map": &mp,
				"bundle_bytes": &l.BundleBytes, "map_bytes": &l.MapBytes, "created": &created, "state": &l.State,
				"note": &l.Note}); err != nil {
			return err
		}
		if len(debug) == 16 {
			l.DebugID = uuid.UUID(debug).String()
		}
		l.MapHash, l.Created = hex.EncodeToString(mp), db.FromMicros(created)
		out = append(out, l)
		return nil
	}, "SELECT r.name AS release_name, f.address, f.debug_id, f.map, COALESCE(b.bytes,0) AS bundle_bytes, COALESCE(m.bytes,0) AS map_bytes, f.created, COALESCE(u.state,'') AS state, COALESCE(u.note,'') AS note FROM symbol_file f JOIN app_release r ON r.id=f.app_release LEFT JOIN symbol_unit u ON u.id=f.unit"+
		" LEFT JOIN symbol_content b ON b.project=f.project AND b.hash=f.bundle LEFT JOIN symbol_content m ON m.project=f.project AND m.hash=f.map WHERE "+cond+" ORDER BY f.id DESC LIMIT ?", append(args, limit)...)
	return out, err
}

// SymbolCost is what the symbols of a release take.
type SymbolCost struct {
	Release      string
	Files        int64
	Bytes, Alone int64 // stored, all and what no other release has
	Waiting      int64 // files that are being prepared
	Broken       int64
	Pushed, Used time.Time
	Until        time.Time // dropped then, when they are not used before
}

// SymbolCosts lists what the symbols of each release take, pushed last first;
// of one release when it is named.
// A content that several releases have counts for each, and alone for none.
func (s *Store) SymbolCosts(ctx context.Context, project int64, release string,
	limit int) (out []SymbolCost, err error) {
	var keep int
	if err := s.db.QueryRowContext(ctx, "SELECT keep_symbols FROM project WHERE id=?",
		project).Scan(&keep); err != nil {
		return nil, err
	}
	cond, args := "", []any{project}
	if release != "" {
		cond = " AND app_release=(SELECT id FROM app_release WHERE project=? AND hash=?)"
		args = append(args, project, db.Hash16(release))
	}
	const units = " JOIN (SELECT f.app_release, f.unit, COUNT(*) files, EXISTS (SELECT 1 FROM symbol_file o WHERE o.unit=f.unit AND o.app_release<>f.app_release) others FROM symbol_file f JOIN (%[1]s) r ON r.app_release=f.app_release WHERE f.project=? GROUP BY f.app_release, f.unit) x ON x.app_release=r.app_release" +
		" JOIN symbol_unit u ON u.id=x.unit LEFT JOIN symbol_content b ON b.project=u.project AND b.hash=u.bundle LEFT JOIN symbol_content m ON m.project=u.project AND m.hash=u.map"
	const sums = "SELECT n.name, SUM(x.files) AS files, SUM(u.bytes+COALESCE(b.stored,0)+COALESCE(m.stored,0)) AS bytes, SUM(IF(x.others, 0, u.bytes+COALESCE(b.stored,0)+COALESCE(m.stored,0))) AS alone, SUM(x.files*(u.state='waiting')) AS waiting, SUM(x.files*(u.state='broken')) AS broken, r.pushed, r.used FROM (%[1]s) r JOIN app_release n ON n.id=r.app_release" +
		units + " GROUP BY r.app_release ORDER BY r.pushed DESC"
	chosen := "SELECT app_release, pushed, used FROM symbol_release WHERE project=?" + cond + " ORDER BY pushed DESC LIMIT ?"
	args = append(args, limit)
	return out, db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var c SymbolCost
		var pushed, used int64
		err := db.ScanNames(r,
			db.Into{"name": &c.Release, "files": &c.Files, "bytes": &c.Bytes, "alone": &c.Alone, "waiting": &c.Waiting,
				"broken": &c.Broken, "pushed": &pushed, "used": &used})
		c.Pushed, c.Used = db.FromMicros(pushed), db.FromMicros(used)
		c.Until = db.FromMicros(max(pushed, used)).AddDate(0, 0, keep)
		out = append(out, c)
		return err
	}, fmt.Sprintf(sums, chosen), slices.Concat(args, args, []any{project})...)
}

// DropSymbols drops the symbols of releases that were neither pushed nor used
// for as long as their project keeps them, and what no release has any more.
func (s *Store) DropSymbols(ctx context.Context) error {
	type gone struct{ project, release int64 }
	now := db.Micros(s.db.Now())
	var list []gone
	err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
		var g gone
		err := r.Scan(&g.project, &g.release)
		list = append(list, g)
		return err
	}, "SELECT r.project, r.app_release FROM symbol_release r JOIN project p ON p.id=r.project WHERE r.used<?-p.keep_symbols*86400000000 AND r.pushed<?-p.keep_symbols*86400000000 LIMIT 1000", now, now)
	if err != nil {
		return err
	}
	for _, g := range list {
		err := s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, g.project); err != nil {
				return err
			}
			for _, q := range []string{"DELETE FROM symbol_file WHERE project=? AND app_release=?", "DELETE FROM symbol_release WHERE project=? AND app_release=?"} {
				if _, err := tx.ExecContext(ctx, q, g.project, g.release); err != nil {
					return err
				}
			}
			_, err := tx.ExecContext(ctx, "UPDATE project_counter SET symbols_version=symbols_version+1 WHERE project=?", g.project)
			return err
		})
		if err != nil {
			return err
		}
	}
	return s.dropContents(ctx)
}

// contentGrace is how long a content may lie there before a file names it.
const contentGrace = 24 * time.Hour

// dropContents drops units without files, contents without units, and parts of
// uploads that were given up.
func (s *Store) dropContents(ctx context.Context) error {
	before := db.Micros(s.db.Now().Add(-contentGrace))
	for _, q := range []struct {
		text string
		args []any
	}{
		{"DELETE u, p FROM symbol_unit u LEFT JOIN symbol_page p ON p.unit=u.id WHERE u.created<? AND NOT EXISTS (SELECT 1 FROM symbol_file f WHERE f.unit=u.id)", []any{before}},
		{"DELETE c, p FROM symbol_content c LEFT JOIN symbol_part p ON p.project=c.project AND p.hash=c.hash WHERE c.created<? AND NOT EXISTS (SELECT 1 FROM symbol_unit u WHERE u.project=c.project AND (u.map=c.hash)) AND NOT EXISTS (SELECT 1 FROM symbol_unit u WHERE u.project=c.project AND u.bundle=c.hash)", []any{before}},
		{"DELETE u, p FROM symbol_upload u LEFT JOIN symbol_part p ON p.project=u.project AND p.hash=u.hash WHERE u.started<?", []any{db.Micros(s.db.Now().Add(-uploadLife))}},
		{"DELETE t, x FROM trace_file t LEFT JOIN variant_file x ON x.file=t.id WHERE t.last_seen<?", []any{db.Micros(s.db.Now().Add(-traceFileLife))}},
	} {
		if _, err := s.db.Slow.ExecContext(ctx, q.text, q.args...); err != nil {
			return err
		}
	}
	return nil
}

// traceFileLife is how long it is remembered which files traces named.
const traceFileLife = 365 * 24 * time.Hour
