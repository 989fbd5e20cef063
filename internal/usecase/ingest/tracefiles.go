package ingest

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/names"
)

// traceFileKey identifies a generated file of a release.
type traceFileKey struct {
	release int64
	hash    [16]byte
}

type traceFileRow struct {
	pipeline.TraceFile
	id                  int64 // 0: it is new
	events, first, last int64
}

// maxTraceFiles is how many generated files of one event are counted.
const maxTraceFiles = 20

// countFiles counts which generated files the traces name, and notes of which
// of them the frames of new variants could not be read. A variant that could
// have been read with what was pushed in between is looked at again.
func (w *batchTx) countFiles(ctx context.Context) error {
	files := map[traceFileKey]*traceFileRow{}
	for _, r := range w.rows {
		at := min(db.Micros(r.When.Thrown), db.Micros(r.Received))
		for _, f := range r.Files[:min(len(r.Files), maxTraceFiles)] {
			k := fileKey(r, f)
			x := files[k]
			if x == nil {
				x = &traceFileRow{TraceFile: f, first: at, last: at}
				files[k] = x
			}
			x.events += r.Event.StandsFor
			x.first, x.last = min(x.first, at), max(x.last, at)
		}
	}
	if err := w.capFiles(ctx, files); err != nil {
		return err
	}
	var fresh, known [][]any
	for k, x := range files {
		var debug any
		if u, err := uuid.Parse(x.DebugID); err == nil {
			debug = u[:]
		}
		row := []any{w.Project.ID, k.release, bytes.Clone(k.hash[:]), event.TrimText(x.Address, 990), debug, x.events,
			x.first, x.last}
		if x.id == 0 {
			fresh = append(fresh, row)
		} else {
			known = append(known, append(row, x.id))
		}
	}
	// A row that is written with its id consumes none, as every other upsert does.
	const columns = "project, app_release, hash, address, debug_id, events, first_seen, last_seen"
	const tail = " ON DUPLICATE KEY UPDATE events=events+VALUES(events), first_seen=LEAST(first_seen, VALUES(first_seen)), last_seen=GREATEST(last_seen, VALUES(last_seen))"
	for head, rows := range map[string][][]any{"INSERT INTO trace_file (" + columns + ")": fresh,
		"INSERT INTO trace_file (" + columns + ", id)": known} {
		slices.SortFunc(rows, func(a, b []any) int { return bytes.Compare(a[2].([]byte), b[2].([]byte)) })
		if len(rows) == 0 {
			continue
		}
		if err := w.s.db.InsertFixed(ctx, w.tx, head, tail, rows); err != nil {
			return err
		}
	}
	return w.noteUnread(ctx)
}

// traceFiles are remembered among the interned names, by release and hash.
const traceFiles names.Table = "trace_file"

// capFiles drops new files beyond the cap: anyone who knows a public key
// can make addresses up.
func (w *batchTx) capFiles(ctx context.Context, files map[traceFileKey]*traceFileRow) error {
	unknown := map[int64][]any{} // release → hashes
	name := func(k traceFileKey) names.Key {
		return names.KeyOf(traceFiles, w.Project.ID, fmt.Sprintf("%d %x", k.release, k.hash))
	}
	for k := range files {
		if id, known := w.s.names.Get(name(k)); known {
			files[k].id = id
		} else {
			unknown[k.release] = append(unknown[k.release], bytes.Clone(k.hash[:]))
		}
	}
	for release, hashes := range unknown {
		there := map[[16]byte]bool{}
		for chunk := range slices.Chunk(hashes, db.AskedRows) {
			err := db.Each(ctx, w.tx, func(r *sql.Rows) error {
				var hash []byte
				var id int64
				if err := r.Scan(&hash, &id); err != nil {
					return err
				}
				k := traceFileKey{release, [16]byte(hash)}
				there[k.hash], files[k].id = true, id
				w.found.Add(name(k), id)
				return nil
			}, "SELECT hash, id FROM trace_file WHERE project=? AND app_release=? AND hash IN ("+db.Marks(len(chunk))+")", append([]any{w.Project.ID, release}, chunk...)...)
			if err != nil {
				return err
			}
		}
		fresh := slices.DeleteFunc(hashes, func(h any) bool { return there[[16]byte(h.([]byte))] })
		n, err := w.caps.room(ctx, newTraceFiles, len(fresh))
		if err != nil {
			return err
		}
		for _, h := range fresh[n:] {
			delete(files, traceFileKey{release, [16]byte(h.([]byte))})
		}
	}
	return nil
}

func fileKey(r *row, f pipeline.TraceFile) traceFileKey {
	return traceFileKey{r.release, db.NameHash(f.Address + "\x00" + f.DebugID)}
}

// noteUnread ties new variants with frames that could not be read to their files.
func (w *batchTx) noteUnread(ctx context.Context) error {
	for id, r := range w.fresh {
		if !r.Print.Provisional {
			continue
		}
		if r.SymbolsVersion != w.symbolsVersion {
			if _, err := w.tx.ExecContext(ctx, "UPDATE variant SET again=1 WHERE id=?", id); err != nil {
				return err
			}
		}
		for _, f := range r.Files[:min(len(r.Files), maxTraceFiles)] {
			if !f.Pending {
				continue
			}
			k := fileKey(r, f)
			if _, err := w.tx.ExecContext(
				ctx,
				"INSERT IGNORE INTO variant_file (file, variant) SELECT id, ? FROM trace_file WHERE project=? AND app_release=? AND hash=?",
				id,
				w.Project.ID,
				k.release,
				k.hash[:],
			); err != nil {
				return err
			}
		}
	}
	return nil
}

// FileSeen is a generated file that traces of a release name.
type FileSeen struct {
	pipeline.TraceFile
	Events              int64 // whose traces name it
	Unread, Issues      int64 // events and issues whose frames in it could not be read
	FirstSeen, LastSeen int64
}

// FilesSeen lists the generated files that traces of a release name, those that
// cost most first.
func (s *Service) FilesSeen(
	ctx context.Context,
	project int64,
	release string,
	limit int,
) (list []FileSeen, err error) {
	var in int64
	if release != "" {
		if in, err = names.IDOf(ctx, s.db, names.Releases, project, release); err != nil || in == 0 {
			return nil, err
		}
	}
	return list, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var f FileSeen
		var id []byte
		if err := r.Scan(&f.Address, &id, &f.Events, &f.FirstSeen, &f.LastSeen, &f.Unread, &f.Issues); err != nil {
			return err
		}
		if len(id) == 16 {
			f.DebugID = uuid.UUID(id).String()
		}
		list = append(list, f)
		return nil
	}, "SELECT t.address, t.debug_id, t.events, t.first_seen, t.last_seen, COALESCE(SUM(v.events),0), COUNT(DISTINCT v.issue) FROM trace_file t"+
		" LEFT JOIN variant_file x ON x.file=t.id LEFT JOIN variant v ON v.id=x.variant AND v.provisional=1 WHERE t.project=? AND t.app_release=? GROUP BY t.id ORDER BY 6 DESC, t.events DESC LIMIT ?", project, in, limit)
}

// Unread is how much of a release could not be read because symbols are missing.
type Unread struct {
	Release        string
	Events, Issues int64 // that cannot be read
	All            int64 // events of the release whose traces name generated files, at least Events
	LastSeen       int64
	Again          int64 // variants that are to be looked at again, for symbols came
}

// UnreadReleases lists the releases of a project with events that cannot be
// read, those seen last first.
func (s *Service) UnreadReleases(ctx context.Context, project int64) (list []Unread, err error) {
	return list, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var u Unread
		err := r.Scan(&u.Release, &u.Events, &u.Issues, &u.Again, &u.All, &u.LastSeen)
		u.All = max(u.All, u.Events)
		list = append(list, u)
		return err
	}, "SELECT COALESCE(n.name,''), x.events, x.issues, x.again, COALESCE((SELECT MAX(t.events) FROM trace_file t WHERE t.project=? AND t.app_release=x.app_release),0), COALESCE((SELECT MAX(t.last_seen) FROM trace_file t WHERE t.project=? AND t.app_release=x.app_release),0)"+
		" FROM (SELECT COALESCE(app_release,0) app_release, SUM(events) events, COUNT(DISTINCT issue) issues, SUM(again) again FROM variant WHERE project=? AND provisional=1 AND events>0 GROUP BY 1) x"+
		" LEFT JOIN app_release n ON n.id=x.app_release ORDER BY 6 DESC LIMIT 100", project, project, project)
}
