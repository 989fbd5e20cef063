package indexing

import (
	"context"
	"database/sql"
	"slices"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/segments"
)

// Mismatch counts where the search index does not say what the events say.
type Mismatch struct {
	Missing int64 // events that are in no segment, and in no gap
	Strange int64 // rows of the index of which there is no event
	Core    int64 // events of which the index has another time, variant, user, release …
	Values  int64 // events whose attributes are others than those of their kept body

	segments []segments.Key // that say something else than the events
	gaps     []segments.Gap // of missing events, those next to each other together
}

// Any says whether there is a mismatch.

// Mend has what differs rebuilt from the events, in the background: segments that say
// something else, and missing events.
func (s *Service) Mend(ctx context.Context, p *projects.Project) error {
	return s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		m, err := s.Compare(ctx, tx, p)
		if err != nil {
			return err
		}
		for _, k := range m.segments {
			if err := segments.Damage(ctx, tx, p.ID, k); err != nil {
				return err
			}
		}
		for _, g := range m.gaps {
			within, ok, err := segments.Covering(ctx, tx, p.ID, g.KeepDay, g.First)
			switch {
			case err != nil:
			case ok: // it is rebuilt with them, since no two segments overlap
				err = segments.Damage(ctx, tx, p.ID, within.Key)
			default:
				err = segments.AddGap(ctx, tx, p.ID, g)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// compareAtOnce is how many positions are compared at a time.
const compareAtOnce = 5000

// Compare compares the index of a project with its events, as a transaction sees both.
func (s *Service) Compare(ctx context.Context, tx *sql.Tx, p *projects.Project) (Mismatch, error) {
	c := &comparing{s: s, tx: tx, p: p, columns: map[string]uint32{}, since: map[string]int64{}}
	if err := c.prepare(ctx); err != nil {
		return c.found, err
	}
	last, err := alerts.Position(ctx, tx, p.ID)
	if err != nil {
		return c.found, err
	}
	days, err := segments.DaysOf(ctx, tx, p.ID)
	if err != nil {
		return c.found, err
	}
	for _, day := range days {
		list, err := segments.OfDay(ctx, tx, p.ID, int(day))
		if err != nil {
			return c.found, err
		}
		for _, m := range list {
			if m.Damaged {
				continue
			}
			before := c.found
			if err := c.segment(ctx, m); err != nil {
				return c.found, err
			}
			if f := c.found; f.Strange > before.Strange || f.Core > before.Core || f.Values > before.Values {
				c.found.segments = append(c.found.segments, m.Key)
			}
		}
	}
	for from := int64(1); from <= last; from += compareAtOnce {
		if err := c.missing(ctx, from, min(last, from+compareAtOnce-1)); err != nil {
			return c.found, err
		}
	}
	return c.found, nil
}

// comparing is the state of one comparison.
type comparing struct {
	s       *Service
	tx      *sql.Tx
	p       *projects.Project
	changes []segments.Change
	gaps    []segments.Gap
	columns map[string]uint32
	since   map[string]int64 // when a name got its column
	numbers map[uint32]int64
	indexed []columns.Bits // positions that are in a segment, 64 × 1024 a part
	found   Mismatch
}

func (c *comparing) prepare(ctx context.Context) (err error) {
	if c.changes, err = segments.Changes(ctx, c.tx, c.p.ID, 0); err != nil {
		return err
	}
	if c.gaps, err = segments.Gaps(ctx, c.tx, c.p.ID); err != nil {
		return err
	}
	c.numbers = map[uint32]int64{}
	if err := db.Each(ctx, c.tx, func(r *sql.Rows) error {
		var user int64
		var number uint32
		err := r.Scan(&user, &number)
		c.numbers[number] = user
		return err
	}, "SELECT user, number FROM user_number WHERE project=?", c.p.ID); err != nil {
		return err
	}
	return db.Each(ctx, c.tx, func(r *sql.Rows) error {
		var id uint32
		var name string
		var since int64
		err := r.Scan(&id, &name, &since)
		c.columns[name], c.since[name] = id, since
		return err
	}, "SELECT id, name, first_seen FROM attribute WHERE project=? AND dropped=0", c.p.ID)
}

const partBits = 1 << 16

// note remembers that a position is in the index; twice is strange.
func (c *comparing) note(position int64) {
	part := int(position / partBits)
	for part >= len(c.indexed) {
		c.indexed = append(c.indexed, nil)
	}
	if c.indexed[part] == nil {
		c.indexed[part] = columns.NewBits(partBits)
	}
	if c.indexed[part].Has(int(position % partBits)) {
		c.found.Strange++
	}
	c.indexed[part].Set(int(position % partBits))
}

func (c *comparing) has(position int64) bool {
	part := int(position / partBits)
	return part < len(c.indexed) && c.indexed[part] != nil && c.indexed[part].Has(int(position%partBits))
}

// segment compares the rows of one segment with their events.
func (c *comparing) segment(ctx context.Context, m segments.Meta) error {
	read, err := segments.Read(ctx, c.tx, c.s.codec, c.p.ID, m)
	if err != nil {
		return err
	}
	patches := map[int64]columns.Patch{}
	for _, x := range within(slices.Clone(c.changes), []segments.Meta{m}) {
		patches[x.Position] = x.Patch
	}
	if len(patches) > 0 {
		read = columns.Merge([]*columns.Segment{read}, patches, nil)
	}
	for from := 0; from < read.Rows(); from += compareAtOnce {
		to := min(read.Rows(), from+compareAtOnce)
		list, err := c.s.stored(ctx, c.tx, c.p, read.Positions[from], read.Positions[to-1], m.KeepDay)
		if err != nil {
			return err
		}
		at := 0
		for i := from; i < to; i++ {
			row := read.Row(i)
			for at < len(list) && list[at].position < row.Position {
				at++
			}
			if at == len(list) || list[at].position != row.Position {
				c.found.Strange++
				continue
			}
			c.note(row.Position)
			if err := c.row(ctx, row, list[at]); err != nil {
				return err
			}
		}
	}
	return nil
}

// row compares one event.
func (c *comparing) row(ctx context.Context, row columns.Row, e storedEvent) error {
	facts := columns.Facts{Release: e.release.Int64, Environment: e.environment}
	if e.handled.Valid {
		facts.Handled = &e.handled.Bool
	}
	k, err := c.s.open(ctx, e)
	if err != nil {
		return err
	}
	if k != nil {
		facts.Severity = string(k.Event.Severity)
	}
	cells := map[uint32]columns.Value{}
	for _, x := range row.Cells {
		cells[x.Column] = x.Value
	}
	same := row.Time == e.thrown && int64(row.Variant) == e.variant && int64(row.Weight) == e.standsFor &&
		(row.User != 0) == e.user.Valid && c.numbers[row.User] == e.user.Int64
	for _, x := range facts.Cells() {
		same = same && cells[x.Column] == x.Value
	}
	if !same {
		c.found.Core++
	}
	if k == nil {
		return nil
	}
	says := map[uint32]columns.Value{}
	for _, a := range attributes.Of(k.Event) {
		id := c.columns[a.Name]
		says[id] = a.Value
		if id != 0 && e.received > c.since[a.Name] && cells[id] != a.Value && !row.Unknown {
			c.found.Values++
			return nil
		}
	}
	for id, v := range cells {
		if id >= columns.FirstOwn && says[id] != v && c.current(id) {
			c.found.Values++
			return nil
		}
	}
	if row.Unknown {
		c.found.Values++
	}
	return nil
}

// current says whether a column's name was not freed.
func (c *comparing) current(id uint32) bool {
	for _, x := range c.columns {
		if x == id {
			return true
		}
	}
	return false
}

// missing counts the events of some positions that are neither in a segment nor in a
// gap.
func (c *comparing) missing(ctx context.Context, from, to int64) error {
	return db.Each(ctx, c.tx, func(r *sql.Rows) error {
		var position, thrown int64
		var day int
		err := r.Scan(&position, &day, &thrown)
		if !c.has(position) && !slices.ContainsFunc(c.gaps, func(g segments.Gap) bool {
			return position >= g.First && position <= g.Last && (g.KeepDay == 0 || g.KeepDay == day)
		}) && !slices.ContainsFunc(c.changes, func(x segments.Change) bool {
			return x.Position == position &&
				x.Gone
		}) {
			c.found.Missing++
			c.found.gaps = missing(c.found.gaps, segments.Gap{First: position, Last: position, Until: thrown,
				KeepDay: day})
		}
		return err
	}, "SELECT filing, keep_day, thrown FROM event WHERE project=? AND filing BETWEEN ? AND ? ORDER BY filing", c.p.ID, from, to)
}

// missing adds an event to gaps: to the last one, where it is its neighbour.
func missing(gaps []segments.Gap, g segments.Gap) []segments.Gap {
	if n := len(gaps); n > 0 && gaps[n-1].KeepDay == g.KeepDay && gaps[n-1].Last+1 == g.First {
		gaps[n-1].Last, gaps[n-1].Until = g.Last, max(gaps[n-1].Until, g.Until)
		return gaps
	}
	return append(gaps, g)
}
