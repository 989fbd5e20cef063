package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/fault"
)

// Arrive lets moves of a project arrive and splits be looked through for a
// while, so that who asked for one sees it done; what takes longer goes on in
// the background.
func (s *Store) Arrive(ctx context.Context, project int64, read Reader, most time.Duration) error {
	end := time.Now().Add(most)
	for more := true; more && time.Now().Before(end); {
		follow, err := s.FollowMove(ctx, project)
		if err != nil {
			return err
		}
		if more = follow; !follow {
			if more, err = s.LookThrough(ctx, project, read); err != nil {
				return err
			}
		}
	}
	return nil
}

// looking is a split whose kept bodies are being looked through: variant by
// variant, each by filing. What is found is noted, then moved in one go.
type looking struct {
	id, project        int64
	d                  difference.Difference
	active             bool
	filing             int64 // events filed later were told apart as they came
	atVariant, atFiled int64 // the last variant that is done; the last event of the next one
	late               bool  // the next one came readable since
}

// lookChunk is how many bodies are read between two notes of the progress.
const lookChunk = 100

// Splitting lists the projects with splits whose kept bodies are being looked through.
func (s *Store) Splitting(ctx context.Context) ([]int64, error) {
	return numbers(ctx, s.db, "SELECT DISTINCT project FROM split WHERE looking=1")
}

// LookThrough goes on with the oldest split of a project: it looks through some
// kept bodies, or moves those that were found; more says that there is more to
// do. It waits for moves whose derived rows are on their way, and can be
// stopped at any time.
func (s *Store) LookThrough(ctx context.Context, project int64, read Reader) (more bool, err error) {
	l := &looking{project: project}
	err = s.db.QueryRowContext(ctx, "SELECT id, kind, name, value, active, filing, at_variant, at_filing FROM split WHERE looking=1 AND project=? ORDER BY id LIMIT 1", project).
		Scan(&l.id, &l.d.Kind, &l.d.Name, &l.d.Value, &l.active, &l.filing, &l.atVariant, &l.atFiled)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	var variant int64
	if l.active {
		if variant, err = s.nextToLook(ctx, l); err != nil && !errors.Is(err, sql.ErrNoRows) {
			return false, err
		}
	}
	if variant == 0 {
		return s.looked(ctx, l, read)
	}
	for {
		keys, err := s.found(ctx, l, variant, read)
		if err != nil {
			return false, fmt.Errorf("split %d: %w", l.id, err)
		}
		if len(keys) == 0 {
			break
		}
		if !l.late { // how far it is was noted
			return true, nil
		}
		l.atFiled = keys[len(keys)-1].filing
	}
	if l.late {
		l.atFiled = 0
	}
	return true, s.moveFound(ctx, l, variant, read)
}

// nextToLook is the next variant of the issue that the part was taken out of,
// wherever that one was merged to since.
func (s *Store) nextToLook(ctx context.Context, l *looking) (variant int64, err error) {
	if l.atFiled == 0 {
		err := s.db.QueryRowContext(ctx, "SELECT variant FROM split_late WHERE split=? ORDER BY variant LIMIT 1", l.id).Scan(&variant)
		if l.late = err == nil; l.late || !errors.Is(err, sql.ErrNoRows) {
			return variant, err
		}
	}
	var from int64
	var into sql.NullInt64
	if err := s.db.QueryRowContext(ctx, "SELECT m.from_issue FROM split s JOIN move m ON m.id=s.move WHERE s.id=?", l.id).Scan(&from); err != nil {
		return 0, err
	}
	for range 100 {
		if err := s.db.QueryRowContext(ctx, "SELECT merged_into FROM issue WHERE id=?", from).Scan(&into); err != nil {
			return 0, err
		}
		if !into.Valid {
			break
		}
		from = into.Int64
	}
	const next = "SELECT v.id FROM variant v JOIN split_alias a ON a.split=? AND a.grouping_version=v.grouping_version AND a.hash=v.fingerprint WHERE v.project=? AND v.issue=? AND v.id>? ORDER BY v.id LIMIT 1"
	err = s.db.QueryRowContext(ctx, next, l.id, l.project, from, l.atVariant).Scan(&variant)
	return variant, err
}

// bodyKey is where an event is kept.
type bodyKey struct{ filing, keepDay int64 }

// found looks at the next kept bodies of a variant and notes those that have
// the difference; it returns which it looked at.
func (s *Store) found(ctx context.Context, l *looking, variant int64, read Reader) ([]bodyKey, error) {
	var looked, have []bodyKey
	type packed struct {
		bodyKey
		dictionary sql.NullInt64
		body       []byte
	}
	var list []packed
	err := each(ctx, s.db, func(r *sql.Rows) error {
		var x packed
		err := r.Scan(&x.filing, &x.keepDay, &x.dictionary, &x.body)
		list = append(list, x)
		return err
	}, "SELECT e.filing, e.keep_day, b.dictionary, b.body FROM (SELECT project, filing, keep_day FROM event FORCE INDEX (by_variant) WHERE variant=? AND has_body=1 AND filing>? AND filing<=? ORDER BY filing LIMIT ?) e"+
		" JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day ORDER BY e.filing", variant, l.atFiled, l.filing, lookChunk)
	if err != nil {
		return nil, err
	}
	for _, x := range list {
		raw, err := s.unpackBody(ctx, x.dictionary, x.body)
		if err != nil {
			return nil, err
		}
		e, ok, err := read.try(ctx, raw)
		if err != nil {
			return nil, err
		}
		looked = append(looked, x.bodyKey)
		if ok && l.d.Holds(e.Event, e.Frames) {
			have = append(have, x.bodyKey)
		}
	}
	if len(looked) == 0 {
		return nil, nil
	}
	return looked, s.InTx(ctx, func(tx *sql.Tx) error {
		at, was := looked[len(looked)-1].filing, l.atFiled
		if l.late {
			at, was = 0, 0
		}
		res, err := tx.ExecContext(ctx, "UPDATE split SET at_filing=?, looked=looked+? WHERE id=? AND at_variant=? AND at_filing=?", at, len(looked), l.id, l.atVariant, was)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 { // somebody else has come further
			return err
		}
		return noteFound(ctx, tx, l.id, variant, have)
	})
}

func noteFound(ctx context.Context, tx *sql.Tx, split, variant int64, list []bodyKey) error {
	var rows [][]any
	for _, k := range list {
		rows = append(rows, []any{split, variant, k.filing, k.keepDay})
	}
	return insertRows(ctx, tx, "INSERT IGNORE INTO split_event (split, variant, filing, keep_day)", "", rows)
}

// moveFound ends a variant: what was found of it goes to the part's variant,
// chunk by chunk, with the bodies that are kept elsewhere.
func (s *Store) moveFound(ctx context.Context, l *looking, variant int64, read Reader) error {
	slot, exemplars, err := s.elsewhere(ctx, l, variant, read)
	if err != nil {
		return err
	}
	return s.InTx(ctx, func(tx *sql.Tx) error {
		if err := lockProject(ctx, tx, l.project); err != nil {
			return err
		}
		// Rows on their way to the issue cannot be taken from it yet.
		var following int
		var here bool // nobody else has come further
		const state = "SELECT (SELECT COUNT(*) FROM move WHERE project=? AND following=1), active=1 AND looking=1 AND at_variant=? AND at_filing=? FROM split WHERE id=?"
		if err := tx.QueryRowContext(ctx, state, l.project, l.atVariant, l.atFiled, l.id).Scan(&following, &here); err != nil {
			return err
		}
		if following > 0 || !here {
			return nil
		}
		if err := noteFound(ctx, tx, l.id, variant, slot); err != nil {
			return err
		}
		var left int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM split_event WHERE split=? AND variant=?", l.id, variant).Scan(&left); err != nil {
			return err
		}
		if left > 0 || len(exemplars) > 0 {
			to, err := partVariant(ctx, tx, l.project, variant, l.id)
			if err != nil {
				return err
			}
			if err := moveExemplars(ctx, tx, variant, to.id, exemplars); err != nil {
				return err
			}
			if left > 0 {
				return s.moveEvents(ctx, tx, l.project, note{"split_event", "split=? AND variant=?", []any{l.id, variant}}, variant, to.id)
			}
		}
		const stay = "SELECT COALESCE(SUM(stands_for),0)+(SELECT dropped_events FROM variant WHERE id=?) FROM event FORCE INDEX (by_variant) WHERE variant=? AND has_body=0 AND filing<=?"
		var stays int64
		if err := tx.QueryRowContext(ctx, stay, variant, variant, l.filing).Scan(&stays); err != nil {
			return err
		}
		at := variant
		if l.late {
			at = l.atVariant
			if _, err := tx.ExecContext(ctx, "DELETE FROM split_late WHERE split=? AND variant=?", l.id, variant); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "UPDATE split SET at_variant=?, at_filing=0, stays=stays+? WHERE id=?", at, stays, l.id)
		return err
	})
}

// elsewhere looks at the bodies of a variant that do not stand with its events:
// the newest, and the exemplars, whose forms it gives.
func (s *Store) elsewhere(ctx context.Context, l *looking, variant int64, read Reader) (slot []bodyKey, exemplars [][]byte, err error) {
	type packed struct {
		form       []byte
		dictionary sql.NullInt64
		body       []byte
		bodyKey
	}
	var list []packed
	err = each(ctx, s.db, func(r *sql.Rows) error {
		var x packed
		err := r.Scan(&x.form, &x.filing, &x.keepDay, &x.dictionary, &x.body)
		list = append(list, x)
		return err
	}, "SELECT NULL, filing, keep_day, dictionary, body FROM newest_body WHERE variant=? AND filing<=? UNION ALL SELECT form, 0, 0, NULL, body FROM exemplar WHERE variant=?", variant, l.filing, variant)
	for _, x := range list {
		raw, err := s.unpackBody(ctx, x.dictionary, x.body)
		if err != nil {
			return nil, nil, err
		}
		e, ok, err := read.try(ctx, raw)
		if err != nil {
			return nil, nil, err
		}
		switch {
		case !ok || !l.d.Holds(e.Event, e.Frames):
		case x.form == nil:
			slot = append(slot, x.bodyKey)
		default:
			exemplars = append(exemplars, x.form)
		}
	}
	return slot, exemplars, err
}

func moveExemplars(ctx context.Context, tx *sql.Tx, from, to int64, forms [][]byte) error {
	for _, form := range forms {
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO exemplar (variant, form, event, thrown, body) SELECT ?, form, event, thrown, body FROM exemplar WHERE variant=? AND form=?", to, from, form); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM exemplar WHERE variant=? AND form=?", from, form); err != nil {
			return err
		}
	}
	if len(forms) == 0 {
		return nil
	}
	_, err := tx.ExecContext(ctx, "UPDATE variant v SET sketched=0, exemplars=(SELECT COUNT(*) FROM exemplar x WHERE x.variant=v.id) WHERE v.id IN (?,?)", from, to)
	return err
}

// looked ends a split: both issues are shown by the newest event each has now.
func (s *Store) looked(ctx context.Context, l *looking, read Reader) (more bool, err error) {
	var from, to int64
	if err := s.db.QueryRowContext(ctx, "SELECT m.from_issue, m.to_issue FROM split s JOIN move m ON m.id=s.move WHERE s.id=?", l.id).Scan(&from, &to); err != nil {
		return false, err
	}
	newest := map[int64]*Readable{}
	for _, id := range []int64{from, to} {
		if newest[id], err = s.newestOf(ctx, id, read); err != nil {
			return false, err
		}
	}
	err = s.InTx(ctx, func(tx *sql.Tx) error {
		if err := lockProject(ctx, tx, l.project); err != nil {
			return err
		}
		// Of one that is not undone, what came readable in between is still to be looked at.
		for _, q := range []string{
			"DELETE FROM split_event WHERE split=?", "DELETE l FROM split_late l JOIN split s ON s.id=l.split WHERE s.id=? AND s.active=0",
			"UPDATE split s SET looking=EXISTS (SELECT 1 FROM split_late l WHERE l.split=s.id) WHERE s.id=?",
		} {
			if _, err := tx.ExecContext(ctx, q, l.id); err != nil {
				return err
			}
		}
		for _, id := range []int64{from, to} {
			if err := showAgain(ctx, tx, id, newest[id]); err != nil {
				return err
			}
			if err := s.arrived(ctx, tx, id); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "UPDATE project_counter SET changed=changed+1 WHERE project=?", l.project)
		return err
	})
	return err == nil, err
}

// newestOf reads the newest kept event of an issue; nil without one.
func (s *Store) newestOf(ctx context.Context, id int64, read Reader) (*Readable, error) {
	row, err := s.endOfIssue(ctx, id, newest)
	if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.NotFound {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	raw, err := s.EventBody(ctx, row)
	if errors.Is(err, ErrNoBody) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	e, ok, err := read.try(ctx, raw)
	if err != nil || !ok {
		return nil, err
	}
	return &e, nil
}

// showAgain lets an issue be shown by an event it has: the one that showed it
// may have gone.
func showAgain(ctx context.Context, tx *sql.Tx, id int64, e *Readable) error {
	if e == nil {
		return nil
	}
	x := shownBy(e.Print, e.Event)
	_, err := tx.ExecContext(ctx, "UPDATE issue_list SET headline=?, place=?, message=?, words=?, origin_function=?, origin_file=?, origin_line=?, severity=?, unhandled=? WHERE issue=?",
		x.headline, x.place, x.message, searchText(x.headline, x.place, x.message), x.originFunction, x.originFile, x.originLine, x.severity, x.unhandled, id)
	return err
}
