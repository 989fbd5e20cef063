package pipeline

import (
	"context"
	"errors"
	"time"

	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbols"
)

// Compile makes a unit readable, or says why it cannot be, and stores that. It
// waits while others are compiled that take too much memory together.
func (u *Units) Compile(ctx context.Context, unit *SymbolUnit) error {
	weight := min(max(unit.Raw, 1), compileMost)
	if err := u.compiles.Acquire(ctx, weight); err != nil {
		return err
	}
	defer u.compiles.Release(weight)
	compiled, sources, note, err := u.compiled(ctx, unit)
	if err != nil {
		return err
	}
	unit.Format, unit.Bytes, unit.Note, unit.State = symbols.Format, int64(len(compiled)), note, "ready"
	if compiled == nil {
		unit.State = "broken"
	}
	return u.store.PutCompiled(ctx, *unit, compiled, sources, note)
}

func (u *Units) compiled(ctx context.Context, unit *SymbolUnit) (compiled []byte, sources int, note string, err error) {
	raw, err := u.store.SymbolContent(ctx, unit.Project, unit.Map)
	if errors.Is(err, ErrNoContent) {
		return nil, 0, "the source map of this file is not stored any more; push it again", nil
	}
	if err != nil {
		return nil, 0, "", err
	}
	m, err := sourcemap.Parse(raw)
	if err != nil {
		return nil, 0, "the source map is broken: " + err.Error(), nil
	}
	raw = nil
	var code []byte
	if unit.Bundle != ([32]byte{}) {
		code, err = u.store.SymbolContent(ctx, unit.Project, unit.Bundle)
		if err != nil && !errors.Is(err, ErrNoContent) {
			return nil, 0, "", err
		}
	}
	if why := symbols.Misfit(m, code); why != "" {
		return nil, 0, why + "; they come from different builds. Push bundle and map of one build together", nil
	}
	compiled, err = symbols.Compile(m, code)
	return compiled, m.Sources(), "", err
}

// CompileSome compiles units that wait, the oldest first, for a while; more
// says that others wait still.
func (u *Units) CompileSome(ctx context.Context, most time.Duration) (more bool, err error) {
	for end := time.Now().Add(most); time.Now().Before(end); {
		unit, err := u.store.NextWaiting(ctx)
		if err != nil || unit == nil {
			return false, err
		}
		if err := u.Compile(ctx, unit); err != nil {
			return true, err
		}
	}
	return true, nil
}
