package indexing

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// fresh lists the days of a project, or of all, whose batches' segments are to be merged.
func (s *Service) fresh(ctx context.Context, project int64) ([]segments.Full, error) {
	return segments.FullDays(ctx, s.db.Slow, segments.FullQuery{Project: project, Tier: segments.Fresh,
		Rows: s.Sizes.Rows, Events: s.Sizes.Middle, Today: db.Day(s.db.Now())})
}

// middle lists those whose merged segments are to be merged again.
func (s *Service) middle(ctx context.Context, project int64) ([]segments.Full, error) {
	return segments.FullDays(ctx, s.db.Slow, segments.FullQuery{Project: project, Tier: segments.Middle,
		Rows: 2 * s.Sizes.Large / s.Sizes.Middle, Events: s.Sizes.Large, Today: db.Day(s.db.Now())})
}

// Mergeable lists the projects with segments of batches that are to be merged.
func (s *Service) Mergeable(ctx context.Context) ([]int64, error) {
	list, err := s.fresh(ctx, 0)
	return projectsOf(list), err
}

// MergeableAgain lists the projects with merged segments that are to be merged again.
// Each past day keeps one for good, so that this reads more, and is asked less often.
func (s *Service) MergeableAgain(ctx context.Context) ([]int64, error) {
	list, err := s.middle(ctx, 0)
	return projectsOf(list), err
}

func projectsOf(list []segments.Full) (out []int64) {
	for _, f := range list {
		if !slices.Contains(out, f.Project) {
			out = append(out, f.Project)
		}
	}
	return out
}

// Merge puts small segments of a project together, those of one day. more says that
// there is more to do. Ended at any moment, nothing is lost or there twice.
func (s *Service) Merge(ctx context.Context, project int64) (more bool, err error) {
	fresh, err := s.fresh(ctx, project)
	if err != nil {
		return false, err
	}
	for _, day := range fresh {
		past := day.Past // with what merges made of it, so that one is left of a day
		more, err := s.mergeDay(ctx, day, func(m segments.Meta) bool {
			return m.Tier == segments.Fresh || past && m.Tier == segments.Middle
		})
		if more || err != nil {
			return more, err
		}
	}
	middle, err := s.middle(ctx, project)
	if err != nil {
		return false, err
	}
	for _, day := range middle {
		more, err := s.mergeDay(ctx, day, func(m segments.Meta) bool { return m.Tier < segments.Large })
		if more || err != nil {
			return more, err
		}
	}
	return false, nil
}

// mergeDay merges the first run of a day's segments that belong together, as many as
// fit in one. Only neighbours are merged: the positions of two segments of a day never
// overlap.
func (s *Service) mergeDay(ctx context.Context, day segments.Full, which func(segments.Meta) bool) (bool, error) {
	all, err := segments.OfDay(ctx, s.db.Slow, day.Project, day.KeepDay)
	if err != nil {
		return false, err
	}
	var list []segments.Meta
	events := 0
	for _, m := range all {
		fits := !m.Damaged && which(m)
		if !fits || events+m.Events > s.Sizes.Limit {
			if len(list) > 1 {
				break
			}
			list, events = nil, 0
		}
		if fits {
			list, events = append(list, m), events+m.Events
		}
	}
	if len(list) < 2 {
		return false, nil
	}
	return s.replace(ctx, day.Project, list)
}

// replace puts one segment in the place of several, with what became of their events
// since. Whatever happens to them meanwhile, it is tried again later.
func (s *Service) replace(ctx context.Context, project int64, list []segments.Meta) (bool, error) {
	changes, err := segments.Changes(ctx, s.db.Slow, project, 0)
	if err != nil {
		return false, err
	}
	changes = within(changes, list)
	known, err := s.known(ctx, project)
	if err != nil {
		return false, err
	}
	var parts []*columns.Segment
	version, freed := 0, map[uint32]bool{}
	for _, m := range list {
		part, err := segments.Read(ctx, s.db.Slow, s.codec, project, m)
		switch {
		case errors.Is(err, sql.ErrNoRows): // another process merged it
			return true, nil
		case errors.Is(err, columns.ErrDamaged):
			return true, errors.Join(segments.Damage(ctx, s.db, project, m.Key),
				fmt.Errorf("project %d, day %d, position %d: %w; it is rebuilt", project, m.KeepDay, m.First, err))
		case err != nil:
			return false, err
		}
		for id := range part.Columns {
			freed[id] = id >= columns.FirstOwn && !known[id]
		}
		parts = append(parts, part)
		version = max(version, m.Version)
	}
	patches := map[int64]columns.Patch{}
	for _, c := range changes {
		patches[c.Position] = c.Patch
	}
	whole := columns.Merge(parts, patches, freed)
	var written *segments.Encoded
	if whole.Rows() > 0 {
		tier := segments.Middle
		if whole.Rows() > 2*s.Sizes.Middle {
			tier = segments.Large
		}
		e := segments.Encode(s.codec, segments.MetaOf(list[0].KeepDay, version+1, tier, whole), whole)
		written = &e
	}
	return true, s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		return s.swap(ctx, tx, project, list, changes, written)
	})
}

// errMeanwhile ends a transaction in which nothing may be written, since what it was
// made of has changed.
var errMeanwhile = errors.New("the segments have changed meanwhile")

// swap writes what replace made.
func (s *Service) swap(ctx context.Context, tx *sql.Tx, project int64, list []segments.Meta, read []segments.Change,
	written *segments.Encoded) error {
	if err := projects.Lock(ctx, tx, project); err != nil {
		return err
	}
	now, err := segments.Changes(ctx, tx, project, 0)
	if err != nil {
		return err
	}
	now = within(now, list)
	if !slices.EqualFunc(now, read, func(a, b segments.Change) bool {
		return a.Position == b.Position && a.KeepDay == b.KeepDay && a.Revision == b.Revision
	}) {
		return nil // the next try takes them in
	}
	ok, err := segments.Remove(ctx, tx, project, list)
	if err != nil {
		return err
	}
	if !ok {
		return fmt.Errorf("project %d: %w", project, errMeanwhile)
	}
	if written != nil {
		if err := segments.Write(ctx, tx, project, *written); err != nil {
			return err
		}
	}
	return segments.Folded(ctx, tx, project, read)
}

// within are the changes of events in some segments.
func within(changes []segments.Change, list []segments.Meta) []segments.Change {
	return slices.DeleteFunc(changes, func(c segments.Change) bool {
		return !slices.ContainsFunc(list, func(m segments.Meta) bool {
			return c.KeepDay == m.KeepDay && c.Position >= m.First && c.Position <= m.Last
		})
	})
}

// known lists the attributes that have a column; others were freed.
func (s *Service) known(ctx context.Context, project int64) (map[uint32]bool, error) {
	ids, err := db.Numbers(ctx, s.db.Slow, "SELECT id FROM attribute WHERE project=? AND dropped=0", project)
	out := map[uint32]bool{}
	for _, id := range ids {
		out[uint32(id)] = true
	}
	return out, err
}

// foldAtOnce is how many changes are looked at in one step.
const foldAtOnce = 5000

// Fold puts what became of events into their segments.
func (s *Service) Fold(ctx context.Context, project int64) (more bool, err error) {
	changes, err := segments.Changes(ctx, s.db.Slow, project, foldAtOnce)
	if err != nil || len(changes) == 0 {
		return false, err
	}
	c := changes[0]
	m, ok, err := segments.Covering(ctx, s.db.Slow, project, c.KeepDay, c.Position)
	if err != nil {
		return false, err
	}
	if !ok { // what fills the gap reads the event as it is then
		return true, s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
			if err := projects.Lock(ctx, tx, project); err != nil {
				return err
			}
			if _, ok, err := segments.Covering(ctx, tx, project, c.KeepDay, c.Position); ok || err != nil {
				return err
			}
			return segments.Folded(ctx, tx, project, changes[:1])
		})
	}
	if m.Damaged {
		return false, nil
	}
	return s.replace(ctx, project, []segments.Meta{m})
}

// Changed lists the projects with events that changed since.
func (s *Service) Changed(ctx context.Context) ([]int64, error) { return segments.Changed(ctx, s.db) }
