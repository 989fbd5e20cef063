package pipeline

import (
	"container/list"
	"context"
	"sync"

	"firethorn/internal/core/scope"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbolicate"
)

// SymbolFile names a generated file of a release and the contents of it and
// of its map.
type SymbolFile struct {
	symbolicate.File
	Bundle, Map [32]byte
}

// symbolStore is what the units are made from.
type symbolStore interface {
	// SymbolFiles lists a release's files, and all files that carry a debug
	// id the release does not matter for, oldest first.
	SymbolFiles(ctx context.Context, project int64, release string) ([]SymbolFile, error)
	// SymbolByDebugID finds a file of any release.
	SymbolByDebugID(ctx context.Context, project int64, debugID string) (*SymbolFile, error)
	SymbolContent(ctx context.Context, project int64, hash [32]byte) ([]byte, error)
}

// Units holds decoded symbols in bounded memory.
type Units struct {
	store symbolStore
	most  int // bytes

	mu    sync.Mutex
	size  int
	order *list.List // of *entry, most recently used first
	byKey map[unitKey]*list.Element
}

type unitKey struct {
	project    int64
	bundle, mp [32]byte
}

type entry struct {
	key  unitKey
	unit *symbolicate.Unit
	size int
}

// NewUnits makes a cache of at most so many bytes.
func NewUnits(store symbolStore, most int) *Units {
	return &Units{store: store, most: most, order: list.New(), byKey: map[unitKey]*list.Element{}}
}

// Symbols resolves the files of one release for one batch or request. It asks
// the store for each thing once and remembers the answer for its own life, so
// it should not live long. It is not safe for concurrent use.
type Symbols struct {
	ctx     context.Context
	units   *Units
	project Project
	release string
	files   []SymbolFile
	names   []symbolicate.File // of files, in their order
	loaded  bool
	err     error
}

// Of gives the symbols of a release.
func (u *Units) Of(ctx context.Context, p Project, release string) *Symbols {
	return &Symbols{ctx: ctx, units: u, project: p, release: release}
}

// Err is the first failure to reach the store.
func (s *Symbols) Err() error { return s.err }

// Unit finds the unit of a file.
func (s *Symbols) Unit(file, debugID string) (*symbolicate.Unit, string) {
	if s.err != nil {
		return nil, ""
	}
	if !s.loaded {
		s.files, s.err = s.units.store.SymbolFiles(s.ctx, s.project.ID, s.release)
		s.loaded = true
		if s.err != nil {
			return nil, ""
		}
		for _, f := range s.files {
			s.names = append(s.names, f.File)
		}
	}
	i, why := symbolicate.Choose(s.names, file, debugID, s.project.Name, s.release)
	if i >= 0 && (debugID == "" || s.files[i].DebugID == debugID) {
		return s.load(s.files[i])
	}
	if debugID != "" { // the same build may have been pushed under another release
		f, err := s.units.store.SymbolByDebugID(s.ctx, s.project.ID, debugID)
		if err != nil {
			s.err = err
			return nil, ""
		}
		if f != nil {
			return s.load(*f)
		}
	}
	if i >= 0 && s.files[i].DebugID != "" {
		return nil, "the symbols pushed for this file belong to another build: their debug id is " + s.files[i].DebugID + ", the loaded file's is " + debugID
	}
	if i >= 0 {
		return s.load(s.files[i])
	}
	return nil, why
}

func (s *Symbols) load(f SymbolFile) (*symbolicate.Unit, string) {
	u := s.units
	key := unitKey{s.project.ID, f.Bundle, f.Map}
	u.mu.Lock()
	if el, ok := u.byKey[key]; ok {
		u.order.MoveToFront(el)
		u.mu.Unlock()
		return el.Value.(*entry).unit, ""
	}
	u.mu.Unlock()
	raw, err := u.store.SymbolContent(s.ctx, s.project.ID, f.Map)
	if err != nil {
		s.err = err
		return nil, ""
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return nil, "the source map is broken: " + err.Error()
	}
	unit := &symbolicate.Unit{Map: m}
	if f.Bundle != ([32]byte{}) {
		code, err := u.store.SymbolContent(s.ctx, s.project.ID, f.Bundle)
		if err != nil {
			s.err = err
			return nil, ""
		}
		unit.Scopes = scope.Scan(code)
	}
	u.put(key, unit)
	return unit, ""
}

func (u *Units) put(key unitKey, unit *symbolicate.Unit) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if _, ok := u.byKey[key]; ok {
		return
	}
	e := &entry{key, unit, unit.Size()}
	u.byKey[key] = u.order.PushFront(e)
	u.size += e.size
	for u.size > u.most && u.order.Len() > 1 {
		last := u.order.Back()
		old := u.order.Remove(last).(*entry)
		delete(u.byKey, old.key)
		u.size -= old.size
	}
}
