package pipeline

import (
	"context"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/moved"
	"firethorn/internal/core/symbolicate"
)

// maxSourceUnits is how many bundles of a release are searched for functions of
// a name: beyond, what is in them counts as not known.
const maxSourceUnits = 500

// Sources are the sources of one release, as far as its symbols are there. They
// live as long as one question, and are not safe for concurrent use.
type Sources struct {
	ctx     context.Context
	units   *Units
	project int64
	release string
	named   map[string]namedFunctions
	err     error
}

type namedFunctions struct {
	list  []moved.Placed
	known bool
}

// Sources gives the sources of a release.
func (u *Units) Sources(ctx context.Context, project int64, release string) *Sources {
	return &Sources{ctx: ctx, units: u, project: project, release: release, named: map[string]namedFunctions{}}
}

// Err is the first failure to read them, a *StoreError.
func (s *Sources) Err() error {
	if s.err == nil {
		return nil
	}
	return &StoreError{s.err}
}

// Named finds the functions of a name (moved.Sources). known is false where one
// of the release's bundles cannot be read.
func (s *Sources) Named(name string) ([]moved.Placed, bool) {
	if found, ok := s.named[name]; ok {
		return found.list, found.known
	}
	list, known, err := s.find(name)
	if err != nil && s.err == nil {
		s.err = err
	}
	s.named[name] = namedFunctions{list, known && err == nil}
	return list, known && err == nil
}

func (s *Sources) find(name string) (out []moved.Placed, known bool, err error) {
	ids, err := s.units.store.ReleaseUnits(s.ctx, s.project, s.release, maxSourceUnits+1)
	if err != nil || len(ids) == 0 || len(ids) > maxSourceUnits {
		return nil, false, err
	}
	for _, id := range ids {
		f, _, err := s.units.unit(s.ctx, id)
		if err != nil || f == nil {
			return nil, false, err
		}
		list, err := symbolicate.Named(f, name)
		if err != nil {
			return nil, false, err
		}
		for _, p := range list {
			module := blame.Module(event.Frame{File: symbolicate.SourcePath(p.Source)})
			out = append(out, moved.Placed{Module: module, Text: p.Digest})
		}
	}
	return out, true, nil
}

// Digests notes what the functions say in their sources that a readable event
// may be processed under.
func (u *Units) Digests(ctx context.Context, p Project, e *event.Event, frames [][]event.Frame) error {
	known := u.Of(ctx, p, e.Release())
	symbolicate.Digests(e, frames, known)
	return known.Err()
}

// Followable says whether the text of the function is known that the event is
// blamed on: where that moves to another file, it can be followed.
func (it *Item) Followable() bool {
	i, j, ok := blame.Origin(it.Frames)
	return ok && it.Frames[i][j].Digest != ""
}
