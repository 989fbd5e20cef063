package pipeline

import (
	"context"
	"fmt"
	"slices"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/scrub"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

// Kept is a kept body taken apart: the event, its frames as they were processed,
// and the JSON they were made from.
type Kept struct {
	Event          *event.Event
	Frames         [][]event.Frame
	JSON, Resource []byte
	form           int // of the symbols that Frames were read with
}

// StoredFrames gives the frames as they were processed.
func (k *Kept) StoredFrames() [][]event.Frame { return k.Frames }

// Open undoes a kept body without asking for symbols.
func Open(raw []byte) (*Kept, error) {
	b, err := UnpackBody(raw)
	if err != nil {
		return nil, fmt.Errorf("a kept event cannot be read: %w", err)
	}
	e, err := decode(b.Event)
	if err != nil {
		return nil, err
	}
	if err := mergeResource(e, b.Resource); err != nil {
		return nil, err
	}
	addCountry(e, b.Processed.Country)
	return &Kept{e, b.Processed.Frames, b.Event, b.Resource, b.Processed.Form}, nil
}

// Observe undoes a kept body for another look at how it is grouped: its frames
// are those it was processed with, or, where they could not be read then or symbols
// say more by now, as they read now.
func Observe(ctx context.Context, p Project, raw []byte, units *Units) (*Kept, error) {
	k, err := Open(raw)
	if err != nil {
		return nil, err
	}
	read := k.form < symbols.Format
	again := slices.ContainsFunc(k.Frames, func(list []event.Frame) bool {
		return slices.ContainsFunc(list, func(f event.Frame) bool {
			return f.Pending || read && f.Raw.File != f.File
		})
	})
	if !again && len(k.Frames) == len(k.Event.Exceptions) {
		return k, nil
	}
	known, filed := units.Of(ctx, p, k.Event.Release()), k.Frames
	k.Frames = symbolicate.Event(k.Event, known, p.options())
	keepResolved(k.Frames, filed)
	blame.Mark(k.Event.Exceptions, k.Frames, nil)
	return k, known.Err()
}

// Read undoes a kept body and makes its frames readable again, with their
// source lines, by the symbols there are now.
func Read(ctx context.Context, p Project, raw []byte, units *Units) (*event.Event, [][]event.Frame, error) {
	b, err := UnpackBody(raw)
	if err != nil {
		return nil, nil, fmt.Errorf("a kept event cannot be read: %w", err)
	}
	e, err := decode(b.Event)
	if err != nil {
		return nil, nil, err
	}
	if err := mergeResource(e, b.Resource); err != nil {
		return nil, nil, err
	}
	addCountry(e, b.Processed.Country)
	e.Notes = append(e.Notes, b.Processed.Notes...)
	known := units.Of(ctx, p, e.Release())
	opt := p.options()
	opt.Sources = true
	frames := symbolicate.Event(e, known, opt)
	if err := known.Err(); err != nil {
		return nil, nil, err
	}
	keepResolved(frames, b.Processed.Frames)
	for i := range e.Scrubbed {
		e.Scrubbed[i].By = "client"
	}
	e.Scrubbed = append(e.Scrubbed, scrubbed(b.Processed.Scrubbed)...)
	scrubSources(p.Rules.Policy(), e, frames)
	blame.Mark(e.Exceptions, frames, nil)
	return e, frames, nil
}

// Threads makes the threads of an event readable by the symbols there are now,
// in their order. Nothing is blamed in them.
func Threads(ctx context.Context, p Project, e *event.Event, units *Units) ([][]event.Frame, error) {
	each := *e
	each.Exceptions = make([]event.Exception, len(e.Threads))
	for i, t := range e.Threads {
		frames := t.Frames
		if len(frames) == 0 {
			frames = stacktrace.Frames(t.Stack, "", "", event.DefaultLimits.Frames)
		}
		each.Exceptions[i].Frames = frames
	}
	known := units.Of(ctx, p, e.Release())
	frames := symbolicate.Event(&each, known, p.options())
	for i := range frames {
		for j := range frames[i] {
			frames[i][j].Origin = false
		}
		if frames[i] == nil {
			frames[i] = []event.Frame{}
		}
	}
	return frames, known.Err()
}

func scrubbed(r scrub.Report) []event.Scrubbed {
	out := make([]event.Scrubbed, len(r))
	for i, f := range r {
		out[i] = event.Scrubbed{Rule: f.Rule, Where: f.Where, Count: f.Count, By: "service"}
	}
	return out
}

// scrubSources takes secrets out of the source lines that symbols or the
// repository brought.
func scrubSources(policy *scrub.Policy, e *event.Event, frames [][]event.Frame) {
	for _, list := range frames {
		for _, f := range list {
			if len(f.SourceLines) == 0 {
				continue
			}
			lines := make([]string, len(f.SourceLines))
			for i, l := range f.SourceLines {
				lines[i] = l.Text
			}
			clean, report := policy.Lines(lines, "source_lines")
			for i := range report {
				report[i].Where = "the source lines of " + f.File
			}
			for i := range f.SourceLines {
				f.SourceLines[i].Text = clean[i]
			}
			e.Scrubbed = append(e.Scrubbed, scrubbed(report)...)
		}
	}
}

// keepResolved takes frames that were resolved when they were processed where the
// symbols have gone since.
func keepResolved(now, then [][]event.Frame) {
	for i := range now {
		for j := range now[i] {
			now[i][j].Origin = false
			if i < len(then) && j < len(then[i]) && now[i][j].WhyRaw != "" && then[i][j].WhyRaw == "" {
				then[i][j].Generated = now[i][j].Generated
				now[i][j] = then[i][j]
				now[i][j].Origin = false
			}
		}
	}
}
