package find

import (
	"context"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"firethorn/internal/core/columns"
	"firethorn/internal/store/segments"
)

// partKey names what is remembered of a segment: the whole, a column, its head, its
// core, or who is in it.
type partKey struct {
	project int64
	segments.Key
	version int
	kind    partKind
	column  uint32
	set     uint64 // of sums: which segments they are of
}

type partKind uint8

const (
	wholePart partKind = iota
	corePart
	userPart
	headPart
	columnPart
	sumPart
	totalPart
	tellingPart
)

func (n *snapshot) key(v *view, kind partKind, column uint32) partKey {
	return partKey{project: n.project, Key: v.Key, version: v.Version, kind: kind, column: column}
}

// partBytes is about how much memory a part takes.
func partBytes(_ partKey, part any) int {
	switch p := part.(type) {
	case *columns.Segment:
		bytes := p.Core.Bytes()
		for _, c := range p.Columns {
			bytes += c.Bytes()
		}
		return bytes
	case *columns.Core:
		return p.Bytes()
	case *columns.Column:
		if p != nil {
			return p.Bytes()
		}
	case *columns.Head:
		if p != nil {
			return p.Bytes()
		}
	case columns.Users:
		return p.Bytes()
	case *sum:
		return p.bytes()
	}
	return 50
}

// fetch finds a part of views: in memory, or by read, whose bytes decode makes parts
// of. use is called for every view; where nothing represents it with what absent gives.
func fetch[T any](ctx context.Context, n *snapshot, views []*view, kind partKind, column uint32, f fetching[T]) error {
	var missing []*view
	var keys []segments.Key
	for _, v := range views {
		if part, ok := n.s.held.Get(n.key(v, kind, column)); ok {
			f.use(v, part.(T))
			continue
		}
		missing = append(missing, v)
		keys = append(keys, v.Key)
	}
	if len(missing) == 0 {
		return nil
	}
	raw := map[segments.Key][]byte{}
	if err := f.read(ctx, keys, func(k segments.Key, b []byte) { raw[k] = b }); err != nil {
		return err
	}
	parts := make([]T, len(missing))
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0))
	for i, v := range missing {
		b, ok := raw[v.Key]
		if !ok {
			parts[i] = f.absent
			continue
		}
		work.Go(func() error {
			part, err := f.decode(v, b)
			if err != nil {
				v.broken = true
			}
			parts[i] = part
			return nil
		})
	}
	_ = work.Wait() // nothing fails: what is damaged is left out
	for i, v := range missing {
		if v.broken {
			continue
		}
		n.s.held.Put(n.key(v, kind, column), parts[i])
		f.use(v, parts[i])
	}
	return nil
}

// fetching says how parts of one kind are read.
type fetching[T any] struct {
	read   func(ctx context.Context, keys []segments.Key, got func(segments.Key, []byte)) error
	decode func(v *view, raw []byte) (T, error)
	absent T // where a segment has no such part
	use    func(*view, T)
}

// split parts views in small ones, which are read whole, and large ones.
func split(views []*view) (small, large []*view) {
	for _, v := range views {
		if v.Tier < segments.Large {
			small = append(small, v)
		} else {
			large = append(large, v)
		}
	}
	return small, large
}

// loadCores reads the cores of views.
func (n *snapshot) loadCores(ctx context.Context, views []*view) error {
	views = slices.DeleteFunc(slices.Clone(views), func(v *view) bool { return v.core != nil || v.broken })
	small, large := split(views)
	if err := n.loadWhole(ctx, small); err != nil {
		return err
	}
	err := fetch(ctx, n, large, corePart, 0, fetching[*columns.Core]{
		read: func(ctx context.Context, keys []segments.Key, got func(segments.Key, []byte)) error {
			return segments.Columns(ctx, n.tx, n.project, segments.CoreColumn, keys, got)
		},
		decode: func(_ *view, raw []byte) (*columns.Core, error) { return n.s.codec.ReadCore(raw) },
		use:    n.takeCore,
	})
	return n.dropBroken(ctx, err)
}

// takeCore gives a view its core, as it is by now.
func (n *snapshot) takeCore(v *view, core *columns.Core) {
	if core == nil { // its rows went, which no other part says
		v.broken = true
		return
	}
	v.core = core
	if v.changes != nil {
		v.core, v.gone = core.Patched(v.changes)
	}
	if n.hidden == nil {
		return
	}
	hidden := v.core.OfVariants(func(id uint32) bool { return n.hidden[id] })
	if v.gone == nil {
		v.gone = hidden
	} else {
		v.gone.Or(hidden)
	}
}

// loadWhole reads small segments with all their columns.
func (n *snapshot) loadWhole(ctx context.Context, views []*view) error {
	return fetch(ctx, n, views, wholePart, 0, fetching[*columns.Segment]{
		read: func(ctx context.Context, keys []segments.Key, got func(segments.Key, []byte)) error {
			return segments.Bodies(ctx, n.tx, n.project, keys, got)
		},
		decode: func(_ *view, raw []byte) (*columns.Segment, error) { return n.s.codec.ReadWhole(raw) },
		use: func(v *view, s *columns.Segment) {
			if s == nil { // its row went, which no other part says
				v.broken = true
				return
			}
			n.takeCore(v, &s.Core)
			for id, c := range s.Columns {
				v.cols[id] = v.patched(id, c)
			}
			for _, p := range v.changes {
				for _, cell := range p.Cells {
					if _, ok := s.Columns[cell.Column]; !ok {
						v.cols[cell.Column] = v.patched(cell.Column, nil)
					}
				}
			}
		},
	})
}

// patched is a column as it is by now.
func (v *view) patched(id uint32, c *columns.Column) *columns.Column {
	if v.changes == nil {
		return c
	}
	return c.Patched(id, v.core, v.changes)
}

// loadHeads reads what large segments hold in a column.
func (n *snapshot) loadHeads(ctx context.Context, views []*view, column uint32) error {
	_, large := split(views)
	large = slices.DeleteFunc(large, func(v *view) bool { _, ok := v.heads[column]; return ok || v.broken })
	err := fetch(ctx, n, large, headPart, column, fetching[*columns.Head]{
		read: func(ctx context.Context, keys []segments.Key, got func(segments.Key, []byte)) error {
			return segments.Heads(ctx, n.tx, n.project, column, keys, got)
		},
		decode: func(_ *view, raw []byte) (*columns.Head, error) { return n.s.codec.ReadHead(raw) },
		use:    func(v *view, h *columns.Head) { v.heads[column] = h },
	})
	return n.dropBroken(ctx, err)
}

// loadColumn reads a column of views, whose cores are there.
func (n *snapshot) loadColumn(ctx context.Context, views []*view, column uint32) error {
	if err := n.loadHeads(ctx, views, column); err != nil {
		return err
	}
	_, large := split(views)
	large = slices.DeleteFunc(large, func(v *view) bool {
		_, ok := v.cols[column]
		if !ok && !v.broken && v.heads[column] == nil { // no row has one, unless it came since
			v.cols[column] = v.patched(column, nil)
			ok = true
		}
		return ok || v.broken
	})
	err := fetch(ctx, n, large, columnPart, column, fetching[*columns.Column]{
		read: func(ctx context.Context, keys []segments.Key, got func(segments.Key, []byte)) error {
			return segments.Columns(ctx, n.tx, n.project, column, keys, got)
		},
		decode: func(v *view, raw []byte) (*columns.Column, error) {
			return n.s.codec.ReadColumn(v.heads[column], raw, v.Events)
		},
		use: func(v *view, c *columns.Column) { v.cols[column] = v.patched(column, c) },
	})
	return n.dropBroken(ctx, err)
}

// mayHave finds out which views may have some users.
func (n *snapshot) mayHave(ctx context.Context, views []*view, users map[uint32]bool) ([]*view, error) {
	out, large := split(views)
	err := fetch(ctx, n, large, userPart, 0, fetching[columns.Users]{
		read: func(ctx context.Context, keys []segments.Key, got func(segments.Key, []byte)) error {
			return segments.Heads(ctx, n.tx, n.project, segments.CoreColumn, keys, got)
		},
		decode: func(_ *view, raw []byte) (columns.Users, error) { return n.s.codec.ReadUsers(raw) },
		use: func(v *view, u columns.Users) {
			for id := range users {
				if v.changes != nil || u.May(id) {
					out = append(out, v)
					return
				}
			}
		},
	})
	return out, n.dropBroken(ctx, err)
}

// dropBroken leaves segments out that cannot be read, and has them rebuilt.
func (n *snapshot) dropBroken(ctx context.Context, err error) error {
	if err != nil {
		return err
	}
	n.views = slices.DeleteFunc(n.views, func(v *view) bool {
		if v.broken {
			n.damaged += int64(v.Events)
			n.s.db.Log.Error("a segment of the search index cannot be read and is rebuilt from the events",
				"project", n.project, "keep_day", v.KeepDay, "position", v.First)
			if err := segments.Damage(ctx, n.s.db, n.project, v.Key); err != nil {
				n.s.db.Log.Warn("a damaged segment is not noted", "err", err)
			}
		}
		return v.broken
	})
	return nil
}
