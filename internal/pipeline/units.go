package pipeline

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/semaphore"
	"golang.org/x/sync/singleflight"

	"firethorn/internal/cache"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

// SymbolFile names a generated file of a release and what it compiled to.
type SymbolFile struct {
	symbolicate.File
	Unit int64
}

// SymbolUnit is what a bundle and its map compile to, or are to.
type SymbolUnit struct {
	ID, Project int64
	Bundle, Map [32]byte
	State       string // waiting, ready, broken; "" when it is gone
	Format      int    // of the compiled form
	Bytes       int64  // of the compiled form
	Raw         int64  // of bundle and map as they were sent
	Note        string // why it is broken, or of which sources names are not their own
}

// CompiledUnit is a unit with what it compiled to: nothing when it is broken.
type CompiledUnit struct {
	SymbolUnit
	Compiled []byte
}

// symbolStore is where symbols are kept.
type symbolStore interface {
	// SymbolsVersion grows whenever one of the others may answer again.
	SymbolsVersion(ctx context.Context, project int64) (int64, error)
	// ReleaseFiles finds the files of a release that are called by a name,
	// oldest first, and counts all it has: at least as many.
	ReleaseFiles(ctx context.Context, project int64, release, name string) (named []SymbolFile, all int, err error)
	// SymbolsWithID finds files by debug id, of any release.
	SymbolsWithID(ctx context.Context, project int64, debugID string) ([]SymbolFile, error)
	SymbolUnit(ctx context.Context, id int64) (SymbolUnit, error)
	// ReleaseUnits lists the units of a release's files, at most so many.
	ReleaseUnits(ctx context.Context, project int64, release string, limit int) ([]int64, error)
	// SymbolPages reads the compiled form, page by page.
	SymbolPages(ctx context.Context, unit int64, from, to int) ([][]byte, error)
	// SymbolContent reads a pushed file; ErrNoContent when it is not there.
	SymbolContent(ctx context.Context, project int64, hash [32]byte) ([]byte, error)
	PutCompiled(ctx context.Context, list []CompiledUnit) error
	// WaitingSymbols lists units that are not compiled, the oldest first: those of
	// a project, or of all (0).
	WaitingSymbols(ctx context.Context, project int64, limit int) ([]SymbolUnit, error)
	// UsedSymbols writes down that units were used.
	UsedSymbols(ctx context.Context, units []int64) error
}

// ErrNoContent says that a pushed content is not there.
var ErrNoContent = errors.New("this content is not stored")

// StoreError is a failure of the store while an event was made readable: not
// the event's error, so it is tried again and never counted as failed.
type StoreError struct{ Err error }

func (e *StoreError) Error() string { return "symbols could not be read: " + e.Err.Error() }
func (e *StoreError) Unwrap() error { return e.Err }

// Units holds opened symbols in bounded memory. What is used often stays: a
// flood of others, each used once or twice, does not drive it out, for a unit
// is let in only where it is asked for more often than what would have to go.
type Units struct {
	// Countries finds the country of an address; nil: unknown.
	Countries interface{ Of(address string) string }

	store symbolStore
	open  *cache.Cache[int64, *symbols.File]   // by unit
	files *cache.Cache[filesKey, releaseFiles] // what was found lately, by symbols version

	traces *cache.Cache[traceKey, readTrace] // that were read lately

	loads    singleflight.Group  // a unit that many wait for is opened once
	compiles *semaphore.Weighted // bytes of bundles and maps that are compiled at once

	mu       sync.Mutex
	versions map[int64]symbolsVersion
	used     map[int64]bool // units, since it was last written down
}

type filesKey struct {
	project, version int64
	release, name    string
	byID             bool
}

type releaseFiles struct {
	named []SymbolFile
	all   int
}

type symbolsVersion struct {
	version int64
	at      time.Time
}

const (
	// keptBlocks is how many bytes of unpacked blocks one file keeps at hand at
	// most; a small file has no more than about four times its own.
	keptBlocks = 2 << 20
	// versionLife is how long the version of a project's symbols is believed.
	versionLife = time.Second
	// filesHeld is how many bytes of answers about files are remembered.
	filesHeld = 16 << 20
	// maxCompile is how many bytes of bundles and maps are compiled at once; a
	// larger one is compiled alone.
	maxCompile = 64 << 20
	// compileSoon is the size up to which a frame waits for its symbols to be
	// compiled; what is larger is done in the background.
	compileSoon = 4 << 20
)

// NewUnits makes a cache of at most so many bytes.
func NewUnits(store symbolStore, limit int) *Units {
	return &Units{
		store: store, compiles: semaphore.NewWeighted(maxCompile), versions: map[int64]symbolsVersion{},
		used:  map[int64]bool{},
		open:  cache.New(limit, func(_ int64, f *symbols.File) int { return f.Size() }),
		files: cache.New(filesHeld, func(_ filesKey, l releaseFiles) int { return 200 * (1 + len(l.named)) }),
		traces: cache.New(tracesHeld,
			func(k traceKey, r readTrace) int { return len(k.release) + 8*len(r.units) + r.size }),
	}
}

// version is the version of a project's symbols, as it was at most versionLife ago.
func (u *Units) version(ctx context.Context, project int64) (int64, error) {
	u.mu.Lock()
	v, ok := u.versions[project]
	u.mu.Unlock()
	if ok && time.Since(v.at) < versionLife {
		return v.version, nil
	}
	v.at = time.Now()
	var err error
	if v.version, err = u.store.SymbolsVersion(ctx, project); err != nil {
		return 0, err
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	u.versions[project] = v
	return v.version, nil
}

// Forget lets the next event ask what symbols a project has.
func (u *Units) Forget(project int64) {
	u.mu.Lock()
	defer u.mu.Unlock()
	delete(u.versions, project)
}

// filesOf finds the files of a release by name, or those with a debug id.
func (u *Units) filesOf(ctx context.Context, k filesKey) (releaseFiles, error) {
	if l, ok := u.files.Get(k); ok {
		return l, nil
	}
	var l releaseFiles
	var err error
	if k.byID {
		l.named, err = u.store.SymbolsWithID(ctx, k.project, k.name)
	} else {
		l.named, l.all, err = u.store.ReleaseFiles(ctx, k.project, k.release, k.name)
	}
	if err == nil {
		u.files.Put(k, l)
	}
	return l, err
}

// unit opens what a file compiled to; nil and why where that cannot be read.
func (u *Units) unit(ctx context.Context, id int64) (*symbols.File, string, error) {
	if f, ok := u.open.Get(id); ok && !f.Damaged() { // another process may have compiled it again
		return f, "", nil
	}
	type loaded struct {
		file *symbols.File
		why  string
	}
	v, err, _ := u.loads.Do(fmt.Sprint(id), func() (any, error) {
		// Others may wait for this: who gives up does not fail it for them.
		file, why, err := u.load(context.WithoutCancel(ctx), id)
		return loaded{file, why}, err
	})
	if err != nil {
		return nil, "", err
	}
	return v.(loaded).file, v.(loaded).why, nil
}

const preparing = "the source map of this file was pushed and is being prepared; its frames become readable by themselves"

func (u *Units) load(ctx context.Context, id int64) (*symbols.File, string, error) {
	if f, ok := u.open.Get(id); ok && !f.Damaged() {
		return f, "", nil
	}
	unit, err := u.store.SymbolUnit(ctx, id)
	if err != nil {
		return nil, "", err
	}
	if unit.State == "ready" && (unit.Format < symbols.OldestFormat || unit.Format > symbols.Format) {
		unit.State = "waiting" // of an older program: rebuilt
	}
	if unit.State == "waiting" {
		if unit.Raw > compileSoon {
			return nil, preparing, nil
		}
		done, err := u.Compile(ctx, []SymbolUnit{unit})
		if err != nil {
			return nil, "", err
		}
		unit = done[0]
	}
	switch unit.State {
	case "":
		return nil, "the symbols of this file are not stored any more; push them again", nil
	case "broken":
		return nil, unit.Note, nil
	}
	f, err := symbols.Open(&pages{u.store, id}, unit.Bytes, int(min(keptBlocks, 4*unit.Bytes)))
	if _, damaged := errors.AsType[*symbols.DamageError](err); damaged {
		return nil, err.Error() + "; push the map of this file again", nil
	}
	if err != nil {
		return nil, "", err
	}
	u.open.Put(id, f)
	return f, "", nil
}

// Symbols resolves the files of one release for one batch or request. It asks
// the store for each thing once and remembers the answer for its own life, so
// it should not live long. It is not safe for concurrent use.
type Symbols struct {
	ctx     context.Context
	units   *Units
	project Project
	release string
	version int64
	asked   bool
	chosen  map[chosenKey]chosen
	read    []int64 // units that files were read from
	err     error
}

// chosenKey is what a frame says of its file.
type chosenKey struct{ file, debugID string }

// chosen is what was found for it: most frames of a trace share one file.
type chosen struct {
	file *symbols.File
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

// Failed takes note of a failure while symbols were read.
func (s *Symbols) Failed(err error) {
	if s.err == nil {
		s.err = err
	}
}

// Version is the version of the project's symbols that was asked; 0 when none
// was asked for.
func (s *Symbols) Version() int64 { return s.version }

// File finds the symbols of a generated file.
func (s *Symbols) File(file, debugID string) (*symbols.File, string) {
	k := chosenKey{file, debugID}
	if c, ok := s.chosen[k]; ok {
		return c.file, c.why
	}
	found, _, miss := s.Find(file, debugID)
	var unit *symbols.File
	why := miss.Text
	if found != nil {
		var err error
		if unit, why, err = s.units.unit(s.ctx, found.Unit); err != nil {
			s.Failed(err)
		}
		if unit != nil {
			s.units.note(found.Unit)
			s.read = append(s.read, found.Unit)
		}
	}
	if s.chosen == nil {
		s.chosen = map[chosenKey]chosen{}
	}
	s.chosen[k] = chosen{unit, why}
	return unit, why
}

// ask asks for the version of the project's symbols, once; ok is false where the store fails.
func (s *Symbols) ask() (ok bool) {
	if !s.asked && s.err == nil {
		s.asked = true
		s.version, s.err = s.units.version(s.ctx, s.project.ID)
	}
	return s.err == nil
}

// Find finds the pushed file that is meant by a generated file, without
// reading it; nil and the reason where there is none. byID says that the debug
// id told.
func (s *Symbols) Find(file, debugID string) (found *SymbolFile, byID bool, miss symbolicate.Miss) {
	if !s.ask() {
		return nil, false, symbolicate.Miss{}
	}
	k := filesKey{project: s.project.ID, version: s.version, release: s.release, name: symbolicate.Name(file)}
	in, err := s.units.filesOf(s.ctx, k)
	var with releaseFiles
	if err == nil && debugID != "" {
		with, err = s.units.filesOf(s.ctx,
			filesKey{project: s.project.ID, version: s.version, name: debugID, byID: true})
	}
	if err != nil {
		s.err = err
		return nil, false, symbolicate.Miss{}
	}
	w := symbolicate.Wanted{File: file, DebugID: debugID, Project: s.project.Name, Release: s.release,
		InRelease: in.all, Named: names(in.named), WithID: names(with.named)}
	i, other, miss := symbolicate.Choose(w)
	switch {
	case i < 0:
		return nil, false, miss
	case other:
		return &with.named[i], true, miss
	}
	return &in.named[i], debugID != "" && in.named[i].DebugID == debugID, miss
}

func names(list []SymbolFile) []symbolicate.File {
	out := make([]symbolicate.File, len(list))
	for i, f := range list {
		out[i] = f.File
	}
	return out
}

// note remembers that a unit was used.
func (u *Units) note(unit int64) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if len(u.used) < 100_000 {
		u.used[unit] = true
	}
}

// WriteUsed writes down which units were used since it was last done.
func (u *Units) WriteUsed(ctx context.Context) error {
	u.mu.Lock()
	used := u.used
	u.used = map[int64]bool{}
	u.mu.Unlock()
	return u.store.UsedSymbols(ctx, slices.Sorted(maps.Keys(used)))
}
