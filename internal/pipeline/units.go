package pipeline

import (
	"bytes"
	"container/list"
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"

	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
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
	// SymbolContent reads a content; ErrNoContent when it is not there.
	SymbolContent(ctx context.Context, project int64, hash [32]byte) ([]byte, error)
}

// ErrNoContent says that a pushed content is not there.
var ErrNoContent = errors.New("this content is not stored")

// StoreError is a failure of the store while an event was made readable: not
// the event's fault, so it is tried again and never set aside.
type StoreError struct{ Err error }

func (e *StoreError) Error() string { return "symbols could not be read: " + e.Err.Error() }
func (e *StoreError) Unwrap() error { return e.Err }

// Units holds decoded symbols in bounded memory.
type Units struct {
	store symbolStore
	most  int // bytes

	loads singleflight.Group // a map that many wait for is decoded once

	mu    sync.Mutex
	size  int
	order *list.List // of *entry, most recently used first
	byKey map[unitKey]*list.Element
	lists map[listKey]fileList
}

type listKey struct {
	project int64
	release string
}

// fileList is what a release's files were a moment ago.
type fileList struct {
	files []SymbolFile
	names []symbolicate.File // of files, in their order
	at    time.Time
}

// keptBlocks is how many bytes of unpacked blocks one file keeps at hand at
// most; a small file has no more than about four times its own.
const keptBlocks = 2 << 20

// listLife is how long the list of a release's files is believed: symbols that
// are pushed count for events filed a second later.
const listLife = time.Second

const listsMost = 5000

type unitKey struct {
	project    int64
	bundle, mp [32]byte
}

type entry struct {
	key  unitKey
	unit *symbols.File
	size int
}

// NewUnits makes a cache of at most so many bytes.
func NewUnits(store symbolStore, most int) *Units {
	return &Units{store: store, most: most, order: list.New(), byKey: map[unitKey]*list.Element{}, lists: map[listKey]fileList{}}
}

// Symbols resolves the files of one release for one batch or request. It asks
// the store for each thing once and remembers the answer for its own life, so
// it should not live long. It is not safe for concurrent use.
type Symbols struct {
	ctx     context.Context
	units   *Units
	project Project
	release string
	fileList
	loaded bool
	chosen map[chosenKey]chosen
	err    error
}

// chosenKey is what a frame says of its file.
type chosenKey struct{ file, debugID string }

// chosen is what was found for it: most frames of a trace share one file.
type chosen struct {
	unit *symbols.File
	why  string
}

// Of gives the symbols of a release.
func (u *Units) Of(ctx context.Context, p Project, release string) *Symbols {
	return &Symbols{ctx: ctx, units: u, project: p, release: release}
}

// Err is the first failure to reach the store, a *StoreError.
func (s *Symbols) Err() error {
	if s.err == nil {
		return nil
	}
	return &StoreError{s.err}
}

// File finds the symbols of a generated file.
func (s *Symbols) File(file, debugID string) (*symbols.File, string) {
	k := chosenKey{file, debugID}
	if c, ok := s.chosen[k]; ok {
		return c.unit, c.why
	}
	unit, why := s.find(file, debugID)
	if s.chosen == nil {
		s.chosen = map[chosenKey]chosen{}
	}
	s.chosen[k] = chosen{unit, why}
	return unit, why
}

func (s *Symbols) find(file, debugID string) (*symbols.File, string) {
	if s.err != nil {
		return nil, ""
	}
	if !s.loaded {
		s.fileList, s.err = s.units.filesOf(s.ctx, s.project.ID, s.release)
		s.loaded = true
		if s.err != nil {
			return nil, ""
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

func (s *Symbols) load(f SymbolFile) (*symbols.File, string) {
	u := s.units
	key := unitKey{s.project.ID, f.Bundle, f.Map}
	u.mu.Lock()
	if el, ok := u.byKey[key]; ok {
		u.order.MoveToFront(el)
		u.mu.Unlock()
		return el.Value.(*entry).unit, ""
	}
	u.mu.Unlock()
	type loaded struct {
		unit *symbols.File
		why  string
	}
	v, err, _ := u.loads.Do(fmt.Sprintf("%d %x %x", key.project, key.bundle, key.mp), func() (any, error) {
		// Others may wait for this: who gives up does not fail it for them.
		unit, why, err := u.decode(context.WithoutCancel(s.ctx), key)
		return loaded{unit, why}, err
	})
	if err != nil {
		s.err = err
		return nil, ""
	}
	return v.(loaded).unit, v.(loaded).why
}

// decode reads and decodes a map and its bundle, and keeps the unit.
func (u *Units) decode(ctx context.Context, key unitKey) (unit *symbols.File, why string, err error) {
	raw, err := u.store.SymbolContent(ctx, key.project, key.mp)
	if errors.Is(err, ErrNoContent) {
		return nil, "the source map of this file is not stored any more; push it again", nil
	}
	if err != nil {
		return nil, "", err
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return nil, "the source map is broken: " + err.Error(), nil
	}
	var code []byte
	if key.bundle != ([32]byte{}) {
		code, err = u.store.SymbolContent(ctx, key.project, key.bundle)
		if err != nil && !errors.Is(err, ErrNoContent) {
			return nil, "", err
		}
	}
	compiled, err := symbols.Compile(m, code)
	if err != nil {
		return nil, "", err
	}
	if unit, err = symbols.Open(bytes.NewReader(compiled), int64(len(compiled)), min(keptBlocks, 4*len(compiled))); err != nil {
		return nil, "", err
	}
	u.put(key, unit, len(compiled)+unit.Size())
	return unit, "", nil
}

// filesOf lists a release's files, as they were at most listLife ago.
func (u *Units) filesOf(ctx context.Context, project int64, release string) (fileList, error) {
	key := listKey{project, release}
	u.mu.Lock()
	l, ok := u.lists[key]
	u.mu.Unlock()
	if ok && time.Since(l.at) < listLife {
		return l, nil
	}
	l = fileList{at: time.Now()}
	var err error
	if l.files, err = u.store.SymbolFiles(ctx, project, release); err != nil {
		return fileList{}, err
	}
	for _, f := range l.files {
		l.names = append(l.names, f.File)
	}
	u.mu.Lock()
	if len(u.lists) >= listsMost {
		clear(u.lists)
	}
	u.lists[key] = l
	u.mu.Unlock()
	return l, nil
}

func (u *Units) put(key unitKey, unit *symbols.File, size int) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if _, ok := u.byKey[key]; ok {
		return
	}
	e := &entry{key, unit, size}
	u.byKey[key] = u.order.PushFront(e)
	u.size += e.size
	for u.size > u.most && u.order.Len() > 1 {
		last := u.order.Back()
		old := u.order.Remove(last).(*entry)
		delete(u.byKey, old.key)
		u.size -= old.size
	}
}
