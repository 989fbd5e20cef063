package indexing

import (
	"context"
	"database/sql"
	"errors"
	"maps"
	"slices"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/names"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// fillAtOnce is how many positions are filled in by one transaction.
const fillAtOnce = 1000

// Incomplete lists the projects of whose index something is missing, or damaged.
func (s *Service) Incomplete(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT project FROM index_gap UNION SELECT project FROM segment WHERE damaged=1")
}

// Fill adds the missing segments of a project's index, the newest first, from the
// events and their kept bodies. What was damaged is taken away first.
func (s *Service) Fill(ctx context.Context, project int64) (more bool, err error) {
	p, err := s.projects.ProjectByID(ctx, project)
	if err != nil {
		return false, err
	}
	var found names.Learned
	err = s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		found = nil
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		if err := s.giveUp(ctx, tx, project); err != nil {
			return err
		}
		gaps, err := segments.Gaps(ctx, tx, project)
		if err != nil || len(gaps) == 0 {
			return err
		}
		more = true
		return s.fill(ctx, tx, p, gaps[0], &found)
	})
	if err == nil {
		s.names.Learn(found)
	}
	return more, err
}

// giveUp takes damaged segments away and notes that their events are missing.
func (s *Service) giveUp(ctx context.Context, tx *sql.Tx, project int64) error {
	list, err := segments.DamagedOf(ctx, tx, project)
	if err != nil {
		return err
	}
	for _, m := range list {
		if _, err := segments.Remove(ctx, tx, project, []segments.Meta{m}); err != nil {
			return err
		}
		if err := segments.AddGap(ctx, tx, project, segments.Gap{First: m.First, Last: m.Last, Until: m.MaxTime,
			KeepDay: m.KeepDay}); err != nil {
			return err
		}
	}
	return nil
}

// fill fills in the end of a gap.
func (s *Service) fill(
	ctx context.Context,
	tx *sql.Tx,
	p *projects.Project,
	g segments.Gap,
	found *names.Learned,
) error {
	from := max(g.First, g.Last-fillAtOnce+1)
	list, err := s.stored(ctx, tx, p, from, g.Last, g.KeepDay)
	if err != nil {
		return err
	}
	rows, err := s.rows(ctx, tx, p, list, found)
	if err != nil {
		return err
	}
	for _, day := range slices.Sorted(maps.Keys(rows)) {
		seg := columns.Build(rows[day])
		// A version that no segment of before had, so that nothing remembered is taken for it.
		version := int(s.db.Now().Unix())
		if err := segments.Write(ctx, tx, p.ID, segments.Encode(s.codec, segments.MetaOf(day, version,
			segments.Middle, seg), seg)); err != nil {
			return err
		}
	}
	until := g.Until
	var received sql.NullInt64
	if err := tx.QueryRowContext(ctx, "SELECT MAX(received) FROM (SELECT received FROM event WHERE project=? AND filing<? ORDER BY filing DESC LIMIT 1) e", p.ID, from).Scan(&received); err != nil {
		return err
	}
	if received.Valid {
		until = min(until, received.Int64)
	}
	return segments.ShrinkGap(ctx, tx, p.ID, g, from, until)
}

// storedEvent is an event as its row and body have it.
type storedEvent struct {
	position, thrown, received, variant int64
	keepDay                             int
	release                             sql.NullInt64
	environment                         int64
	user                                sql.NullInt64
	handled                             sql.NullBool
	standsFor                           int64
	dictionary                          sql.NullInt64
	body                                []byte
}

// stored reads the events of some positions with their kept bodies; keepDay 0: of all
// days.
func (s *Service) stored(
	ctx context.Context,
	q db.Querier,
	p *projects.Project,
	from, to int64,
	keepDay int,
) ([]storedEvent, error) {
	cond, args := "", []any{p.ID, from, to}
	if keepDay != 0 {
		cond = " AND e.keep_day=?"
		args = append(args, keepDay)
	}
	return db.List(ctx, q, func(r *sql.Rows) (e storedEvent, err error) {
		err = db.ScanNames(
			r,
			db.Into{"filing": &e.position, "keep_day": &e.keepDay, "thrown": &e.thrown, "received": &e.received,
				"variant": &e.variant, "app_release": &e.release, "environment": &e.environment, "user": &e.user,
				"handled": &e.handled, "stands_for": &e.standsFor, "dictionary": &e.dictionary, "body": &e.body},
		)
		return e, err
	}, "SELECT e.filing, e.keep_day, e.thrown, e.received, e.variant, e.app_release, e.environment, e.user, e.handled, e.stands_for, COALESCE(b.dictionary, n.dictionary) AS dictionary, COALESCE(b.body, n.body) AS body"+
		" FROM event e LEFT JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day"+
		" LEFT JOIN newest_body n ON e.has_body=0 AND n.variant=e.variant AND n.filing=e.filing"+
		" WHERE e.project=? AND e.filing BETWEEN ? AND ?"+cond+" ORDER BY e.filing", args...)
}

// rows makes rows of the index, by day, and notes what their users are called.
func (s *Service) rows(
	ctx context.Context,
	tx *sql.Tx,
	p *projects.Project,
	list []storedEvent,
	found *names.Learned,
) (map[int][]columns.Row, error) {
	out := map[int][]columns.Row{}
	numbers, err := s.number(ctx, tx, p.ID, list)
	if err != nil {
		return nil, err
	}
	var pairs []segments.Called
	for _, e := range list {
		r := columns.Row{
			Position: e.position,
			Time:     e.thrown,
			Variant:  uint32(e.variant),
			Weight:   uint32(e.standsFor),
			Unknown:  true,
		}
		if e.user.Valid {
			r.User = numbers[e.user.Int64]
		}
		facts := columns.Facts{Release: e.release.Int64, Environment: e.environment}
		if e.handled.Valid {
			facts.Handled = &e.handled.Bool
		}
		k, err := s.open(ctx, e)
		if err != nil {
			return nil, err
		}
		if k != nil {
			facts.Severity, r.Unknown = string(k.Event.Severity), false
			list := attributes.Of(k.Event)
			ids, err := s.attributes.IDs(ctx, tx, p.ID, list, found)
			if err != nil {
				return nil, err
			}
			r.Cells = segments.Cells(list, ids)
			if e.user.Valid {
				for _, called := range pipeline.OtherIdentities(p.UserSecret, k.Event) {
					pairs = append(pairs, segments.Called{Name: called, User: e.user.Int64})
				}
			}
		}
		r.Cells = append(facts.Cells(), r.Cells...)
		out[e.keepDay] = append(out[e.keepDay], r)
	}
	_, err = s.identities.Add(ctx, tx, p.ID, pairs)
	return out, err
}

// open reads the body of an event; nil where it was not kept, or cannot be read.
func (s *Service) open(ctx context.Context, e storedEvent) (*pipeline.Kept, error) {
	if e.body == nil {
		return nil, nil
	}
	raw, err := s.events.UnpackBody(ctx, e.dictionary, e.body)
	if err != nil {
		return nil, err
	}
	k, err := pipeline.Open(raw)
	if err != nil {
		s.db.Log.Warn("a kept body cannot be read; its attributes are not searched", "position", e.position, "err", err)
		return nil, nil
	}
	return k, nil
}

func (s *Service) number(ctx context.Context, tx *sql.Tx, project int64, list []storedEvent) (map[int64]uint32, error) {
	var users []int64
	for _, e := range list {
		if e.user.Valid {
			users = append(users, e.user.Int64)
		}
	}
	var last int64
	if err := tx.QueryRowContext(ctx, "SELECT users FROM project_counter WHERE project=?",
		project).Scan(&last); err != nil &&
		!errors.Is(err, sql.ErrNoRows) {
		return nil, err
	}
	numbers, _, err := segments.NumberUsers(ctx, tx, project, users, last)
	return numbers, err
}
