package moves

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
)

// Arrive lets moves of a project arrive and splits be looked through for a
// while, so that who asked for one sees it done; what takes longer goes on in
// the background.
func (s *Service) Arrive(ctx context.Context, project int64, read Reader, limit time.Duration) error {
	end := time.Now().Add(limit)
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
// variant, each by position. What is found is noted, then moved in one go.
type looking struct {
	id, project           int64
	d                     difference.Difference
	active                bool
	position              int64 // events processed later were distinguished as they came
	atVariant, atPosition int64 // the last variant that is done; the last event of the next one
	late                  bool  // the next one came readable since
}

// lookChunk is how many bodies are read between two notes of the progress.
const lookChunk = 100

// Splitting lists the projects with splits whose kept bodies are being looked through.
func (s *Service) Splitting(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM split WHERE looking=1")
}

// LookThrough goes on with the oldest split of a project: it looks through some
// kept bodies, or moves those that were found; more says that there is more to
// do. It waits for moves whose derived rows are on their way, and can be
// stopped at any time.
func (s *Service) LookThrough(ctx context.Context, project int64, read Reader) (more bool, err error) {
	l := &looking{project: project}
	err = db.FirstInto(ctx, s.db, db.Into{"id": &l.id, "kind": &l.d.Kind, "name": &l.d.Name, "value": &l.d.Value, "active": &l.active, "filing": &l.position, "at_variant": &l.atVariant, "at_filing": &l.atPosition}, "SELECT id, kind, name, value, active, filing, at_variant, at_filing FROM split WHERE looking=1 AND project=? ORDER BY id LIMIT 1", project)
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
		l.atPosition = keys[len(keys)-1].Position
	}
	if l.late {
		l.atPosition = 0
	}
	return true, s.moveFound(ctx, l, variant, read)
}

// nextToLook is the next variant of the issue that the part was taken out of,
// wherever that one was merged to since.
func (s *Service) nextToLook(ctx context.Context, l *looking) (variant int64, err error) {
	if l.atPosition == 0 {
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

// BodyKey is where an event is kept.
type BodyKey struct{ Position, KeepDay int64 }

// found looks at the next kept bodies of a variant and notes those that have
// the difference; it returns which it looked at.
func (s *Service) found(ctx context.Context, l *looking, variant int64, read Reader) ([]BodyKey, error) {
	var looked, have []BodyKey
	type packed struct {
		BodyKey
		dictionary sql.NullInt64
		body       []byte
	}
	var list []packed
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var x packed
		err := r.Scan(&x.Position, &x.KeepDay, &x.dictionary, &x.body)
		list = append(list, x)
		return err
	}, "SELECT e.filing, e.keep_day, b.dictionary, b.body FROM (SELECT project, filing, keep_day FROM event FORCE INDEX (by_variant) WHERE variant=? AND has_body=1 AND filing>? AND filing<=? ORDER BY filing LIMIT ?) e"+
		" JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day ORDER BY e.filing", variant, l.atPosition, l.position, lookChunk)
	if err != nil {
		return nil, err
	}
	for _, x := range list {
		raw, err := s.events.UnpackBody(ctx, x.dictionary, x.body)
		if err != nil {
			return nil, err
		}
		e, ok, err := read.try(ctx, raw)
		if err != nil {
			return nil, err
		}
		looked = append(looked, x.BodyKey)
		if ok && l.d.Holds(e.Event, e.Frames) {
			have = append(have, x.BodyKey)
		}
	}
	if len(looked) == 0 {
		return nil, nil
	}
	return looked, s.db.InTx(ctx, func(tx *sql.Tx) error {
		at, was := looked[len(looked)-1].Position, l.atPosition
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

func noteFound(ctx context.Context, tx *sql.Tx, split, variant int64, list []BodyKey) error {
	var rows [][]any
	for _, k := range list {
		rows = append(rows, []any{split, variant, k.Position, k.KeepDay})
	}
	return db.InsertRows(ctx, tx, "INSERT IGNORE INTO split_event (split, variant, filing, keep_day)", "", rows)
}

// moveFound ends a variant: what was found of it goes to the part's variant,
// chunk by chunk, with the bodies that are kept elsewhere.
func (s *Service) moveFound(ctx context.Context, l *looking, variant int64, read Reader) error {
	slot, exemplars, err := s.elsewhere(ctx, l, variant, read)
	if err != nil {
		return err
	}
	return s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, l.project); err != nil {
			return err
		}
		// Rows on their way to the issue cannot be taken from it yet.
		var following int
		var here bool // nobody else has come further
		const state = "SELECT (SELECT COUNT(*) FROM move WHERE project=? AND following=1), active=1 AND looking=1 AND at_variant=? AND at_filing=? FROM split WHERE id=?"
		if err := tx.QueryRowContext(ctx, state, l.project, l.atVariant, l.atPosition, l.id).Scan(&following,
			&here); err != nil {
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
			to, err := ingest.PartVariant(ctx, tx, l.project, variant, l.id)
			if err != nil {
				return err
			}
			if err := MoveExemplars(ctx, tx, variant, to.ID, exemplars); err != nil {
				return err
			}
			if left > 0 {
				return s.MoveEvents(ctx, tx, l.project,
					Note{"split_event", "split=? AND variant=?", []any{l.id, variant}}, variant, to.ID)
			}
		}
		const stay = "SELECT COALESCE(SUM(stands_for),0)+(SELECT dropped_events FROM variant WHERE id=?) FROM event FORCE INDEX (by_variant) WHERE variant=? AND has_body=0 AND filing<=?"
		var stays int64
		if err := tx.QueryRowContext(ctx, stay, variant, variant, l.position).Scan(&stays); err != nil {
			return err
		}
		at := variant
		if l.late {
			at = l.atVariant
			if _, err := tx.ExecContext(ctx, "DELETE FROM split_late WHERE split=? AND variant=?", l.id,
				variant); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "UPDATE split SET at_variant=?, at_filing=0, stays=stays+? WHERE id=?", at, stays, l.id)
		return err
	})
}

// elsewhere looks at the bodies of a variant that do not stand with its events:
// the newest, and the exemplars, whose forms it gives.
func (s *Service) elsewhere(ctx context.Context, l *looking, variant int64,
	read Reader) (slot []BodyKey, exemplars [][]byte, err error) {
	type packed struct {
		form       []byte
		dictionary sql.NullInt64
		body       []byte
		BodyKey
	}
	var list []packed
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var x packed
		err := r.Scan(&x.form, &x.Position, &x.KeepDay, &x.dictionary, &x.body)
		list = append(list, x)
		return err
	}, "SELECT NULL, filing, keep_day, dictionary, body FROM newest_body WHERE variant=? AND filing<=? UNION ALL SELECT form, 0, 0, NULL, body FROM exemplar WHERE variant=?", variant, l.position, variant)
	for _, x := range list {
		raw, err := s.events.UnpackBody(ctx, x.dictionary, x.body)
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
			slot = append(slot, x.BodyKey)
		default:
			exemplars = append(exemplars, x.form)
		}
	}
	return slot, exemplars, err
}

// MoveExemplars gives exemplars of a variant to another one.
func MoveExemplars(ctx context.Context, tx *sql.Tx, from, to int64, forms [][]byte) error {
	for _, form := range forms {
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO exemplar (variant, form, event, thrown, body) SELECT ?, form, event, thrown, body FROM exemplar WHERE variant=? AND form=?", to, from, form); err != nil {
			return err
		}
		if err := events.DropExemplar(ctx, tx, from, form); err != nil {
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
func (s *Service) looked(ctx context.Context, l *looking, read Reader) (more bool, err error) {
	var from, to int64
	if err := s.db.QueryRowContext(ctx, "SELECT m.from_issue, m.to_issue FROM split s JOIN move m ON m.id=s.move WHERE s.id=?", l.id).Scan(&from, &to); err != nil {
		return false, err
	}
	newest := map[int64]*Readable{}
	for _, id := range []int64{from, to} {
		if newest[id], err = s.NewestOf(ctx, l.project, id, read); err != nil {
			return false, err
		}
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, l.project); err != nil {
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
			if err := ShowAgain(ctx, tx, id, newest[id]); err != nil {
				return err
			}
			if err := s.arrived(ctx, tx, id); err != nil {
				return err
			}
		}
		return projects.Touch(ctx, tx, l.project)
	})
	return err == nil, err
}

// NewestOf reads the newest kept event of an issue; nil without one.
func (s *Service) NewestOf(ctx context.Context, project, id int64, read Reader) (*Readable, error) {
	row, err := s.events.EndOfIssue(ctx, project, id, events.Newest)
	if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	raw, err := s.events.EventBody(ctx, row)
	if errors.Is(err, events.ErrNoBody) {
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

// ShowAgain lets an issue be shown by an event it has: the one that showed it
// may have gone.
func ShowAgain(ctx context.Context, tx *sql.Tx, id int64, e *Readable) error {
	if e == nil {
		return nil
	}
	x := ingest.ShownBy(e.Print, e.Event)
	_, err := tx.ExecContext(ctx, "UPDATE issue_list SET worded=0, headline=?, place=?, message=?, search_text=?, origin_function=?, origin_file=?, origin_line=?, severity=?, unhandled=? WHERE issue=?",
		x.Headline, x.Place, x.Message, issues.SearchText(x.Headline, x.Place, x.Message), x.OriginFunction,
		x.OriginFile, x.OriginLine, x.Severity, x.Unhandled, id)
	return err
}
