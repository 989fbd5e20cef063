package find

import (
	"context"
	"database/sql"
	"fmt"
	"math"
	"time"

	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/store/members"
	"firethorn/internal/store/segments"
)

// Window is a time: From belongs to it, To does not. Zero times are open.
type Window struct{ From, To time.Time }

// micros are the ends of a window.
func (w Window) micros() (from, to int64) {
	from, to = math.MinInt64/2, math.MaxInt64/2
	if !w.From.IsZero() {
		from = db.Micros(w.From)
	}
	if !w.To.IsZero() {
		to = db.Micros(w.To)
	}
	return from, to
}

// snapshot is one consistent view of what is searched of a project.
type snapshot struct {
	s        *Service
	tx       *sql.Tx
	project  int64
	members  *members.Members
	names    map[string]uint32 // attributes → columns
	views    []*view
	from, to int64
	users    int64 // the greatest number of a user
	complete time.Time
	damaged  int64 // events of segments that cannot be read, which are left out
	hidden   map[uint32]bool
}

// view is a segment as a search sees it: what became of its events since is in it.
type view struct {
	segments.Meta
	core    *columns.Core
	cols    map[uint32]*columns.Column // nil values: no row has one
	heads   map[uint32]*columns.Head
	changes map[int64]columns.Patch
	gone    columns.Bits // nil: none
	broken  bool
}

// whole says whether all of a segment's events lie in the window and are as they were
// written.
func (v *view) whole(from, to int64) bool {
	return v.changes == nil && v.MinTime >= from && v.MaxTime < to
}

// open begins a view of a project; done ends it.
func (s *Service) open(ctx context.Context, project int64, w Window) (*snapshot, func(), error) {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return nil, nil, err
	}
	n := &snapshot{s: s, tx: tx, project: project, names: map[string]uint32{}}
	n.from, n.to = w.micros()
	done := func() { _ = tx.Rollback() } // it changes nothing
	if err := n.read(ctx); err != nil {
		done()
		return nil, nil, fmt.Errorf("the search index: %w", err)
	}
	return n, done, nil
}

// read reads what there is, but no columns.
func (n *snapshot) read(ctx context.Context) error {
	var version int64
	if err := n.tx.QueryRowContext(ctx, "SELECT memberships, users FROM project_counter WHERE project=?", n.project).
		Scan(&version, &n.users); err != nil {
		return err
	}
	metas, err := segments.List(ctx, n.tx, n.project, n.from, n.to)
	if err != nil {
		return err
	}
	changes, err := segments.Changes(ctx, n.tx, n.project, 0)
	if err != nil {
		return err
	}
	for _, m := range metas {
		if m.Damaged {
			n.damaged += int64(m.Events)
			continue
		}
		n.views = append(n.views, &view{Meta: m, cols: map[uint32]*columns.Column{}, heads: map[uint32]*columns.Head{}})
	}
	n.spread(changes)
	if err := n.readNames(ctx); err != nil {
		return err
	}
	if n.members, err = n.s.members.Of(ctx, n.tx, n.project, version); err != nil {
		return err
	}
	gaps, err := segments.Gaps(ctx, n.tx, n.project)
	for _, g := range gaps {
		if at := db.FromMicros(g.Until); at.After(n.complete) {
			n.complete = at
		}
	}
	return err
}

// spread gives each view the changes of its events.
func (n *snapshot) spread(changes []segments.Change) {
	i := 0
	for _, v := range n.views { // both are in the order of days and positions
		for i < len(changes) && (changes[i].KeepDay < v.KeepDay || changes[i].KeepDay == v.KeepDay &&
			changes[i].Position < v.First) {
			i++
		}
		for ; i < len(changes) && changes[i].KeepDay == v.KeepDay && changes[i].Position <= v.Last; i++ {
			if v.changes == nil {
				v.changes = map[int64]columns.Patch{}
			}
			v.changes[changes[i].Position] = changes[i].Patch
		}
	}
}

// readNames reads which attributes have a column.
func (n *snapshot) readNames(ctx context.Context) error {
	for name, id := range map[string]uint32{"release": columns.Release, "environment": columns.Environment,
		"severity": columns.Severity, "handled": columns.Handled} {
		n.names[name] = id
	}
	err := db.Each(ctx, n.tx, func(r *sql.Rows) error {
		var id uint32
		var name string
		err := r.Scan(&id, &name)
		if _, taken := n.names[name]; !taken {
			n.names[name] = id
		}
		return err
	}, "SELECT id, name FROM attribute WHERE project=? AND dropped=0", n.project)
	if err != nil {
		return err
	}
	dead, err := db.Numbers(
		ctx,
		n.tx,
		"SELECT v.id FROM issue i JOIN variant v ON v.issue=i.id WHERE i.emptied=0 AND i.deleted IS NOT NULL AND i.project=?",
		n.project,
	)
	for _, id := range dead {
		if n.hidden == nil {
			n.hidden = map[uint32]bool{}
		}
		n.hidden[uint32(id)] = true
	}
	return err
}

// attributes lists the names of a project's attributes, for messages and completion.
func (n *snapshot) attributes() []string {
	out := make([]string, 0, len(n.names))
	for name := range n.names {
		out = append(out, name)
	}
	return out
}
