package pipeline

import (
	"context"
	"errors"
	"runtime"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbols"
)

// Compile makes units readable, or says why they cannot be, and stores that.
func (u *Units) Compile(ctx context.Context, list []SymbolUnit) ([]SymbolUnit, error) {
	done := make([]CompiledUnit, len(list))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, unit := range list {
		g.Go(func() error {
			// A few large ones together would take too much memory.
			weight := min(max(unit.Raw, 1), maxCompile)
			if err := u.compiles.Acquire(ctx, weight); err != nil {
				return err
			}
			defer u.compiles.Release(weight)
			c := &done[i]
			c.SymbolUnit = unit
			var err error
			if c.Compiled, c.Note, err = u.compiled(ctx, &unit); err != nil {
				return err
			}
			c.Format, c.Bytes, c.State = symbols.Format, int64(len(c.Compiled)), "ready"
			if c.Compiled == nil {
				c.State = "broken"
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	out := make([]SymbolUnit, len(list))
	for i, c := range done {
		out[i] = c.SymbolUnit
	}
	err := u.store.PutCompiled(context.WithoutCancel(ctx), done)
	for _, unit := range list { // one that is open reads what is not there any more
		u.open.Drop(unit.ID)
	}
	return out, err
}

func (u *Units) compiled(ctx context.Context, unit *SymbolUnit) (compiled []byte, note string, err error) {
	raw, err := u.store.SymbolContent(ctx, unit.Project, unit.Map)
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
	if unit.Bundle != ([32]byte{}) {
		code, err = u.store.SymbolContent(ctx, unit.Project, unit.Bundle)
		if err != nil && !errors.Is(err, ErrNoContent) {
			return nil, "", err
		}
	}
	if why := symbols.Misfit(m, code); why != "" {
		return nil, why + "; they come from different builds. Push bundle and map of one build together", nil
	}
	compiled, doubts, err := symbols.Compile(m, code)
	return compiled, symbols.Doubts(doubts), err
}

// compileTogether is how many units are compiled and stored together, and
// their bytes as they were sent.
const (
	compileTogether      = 32
	compileTogetherBytes = 16 << 20
)

// CompileNow compiles the small units at once, for a limited time, while a person waits.
// Those that are left to the background are counted; broken are those that
// cannot be used.
func (u *Units) CompileNow(ctx context.Context, ids []int64,
	limit time.Duration) (waiting int, broken []SymbolUnit, err error) {
	end := time.Now().Add(limit)
	for chunk := range slices.Chunk(ids, compileTogether) {
		if time.Now().After(end) {
			waiting += len(chunk)
			continue
		}
		var small []SymbolUnit
		for _, id := range chunk {
			unit, err := u.store.SymbolUnit(ctx, id)
			if err != nil {
				return 0, nil, err
			}
			if unit.Raw > compileSoon {
				waiting++
				continue
			}
			small = append(small, unit)
		}
		done, err := u.Compile(ctx, small)
		if err != nil {
			return 0, nil, err
		}
		for _, unit := range done {
			if unit.State == "broken" {
				broken = append(broken, unit)
			}
		}
	}
	return waiting, broken, nil
}

// CompileSome compiles units that wait, the oldest first, for a while: those of
// a project, or of all (0). more says that others wait still.
func (u *Units) CompileSome(ctx context.Context, project int64, limit time.Duration) (more bool, err error) {
	for end := time.Now().Add(limit); time.Now().Before(end); {
		list, err := u.store.WaitingSymbols(ctx, project, compileTogether)
		if err != nil || len(list) == 0 {
			return false, err
		}
		n, bytes := 0, int64(0)
		for n == 0 || n < len(list) && bytes+list[n].Raw <= compileTogetherBytes {
			bytes += list[n].Raw
			n++
		}
		if _, err := u.Compile(ctx, list[:n]); err != nil {
			return true, err
		}
	}
	return true, nil
}
