// Package pipeline turns stored batches into items ready to be filed: decode,
// correct the clock, symbolicate, fingerprint. It declares what it needs of
// the store; it does not file anything itself.
//
// Reading order: Batch (what intake stored), Process (the steps), Item (what
// comes out), Units (the symbols, cached).
package pipeline

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/grouping"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/scrub"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/core/symbols"
)

// Project is what the steps must know of a project.
type Project struct {
	ID         int64
	Name       string
	KeepDays   int
	UserSecret []byte
	Rules      *rules.Set      // nil: none
	Off        map[string]bool // rules that were switched off because they cost too much

	RulesVersion    int // of the rules file; 0: none was pushed yet
	GroupingVersion int // the one that the project's issues are known under
}

// Method is how the project's events are grouped.
func (p *Project) Method() grouping.Method {
	return grouping.Method{Version: p.GroupingVersion, Rules: p.Rules, Off: p.Off}
}

// Batch is what intake stored of one request: scrubbed, not yet decoded.
type Batch struct {
	Sent     time.Time         // by the sender's clock; zero when it did not say
	Resource json.RawMessage   // the default for every event
	IDs      []uuid.UUID       // one for each event, made by intake where the sender gave none
	Events   []json.RawMessage // each valid JSON
	Scrubbed []scrub.Report    // one for each event, or nil: nothing was
	Users    []User            // one for each event, or nil: whoever the event names
	Sessions []Word            // what is told of sessions
	Feedback []Word            // what people said
	Received time.Time
}

// User is whom an event hits, where scrubbing took out who that is: people are
// told apart all the same.
type User struct {
	Known bool  `json:"k,omitempty"`
	Hash  int64 `json:"h,omitempty"`
}

// Alone is the batch that holds event i and nothing else.
func (b *Batch) Alone(i int) *Batch {
	return b.Part(i, i+1)
}

// Part is the batch that holds the events from i up to j and nothing else.
func (b *Batch) Part(i, j int) *Batch {
	part := *b
	part.Sessions, part.Feedback = nil, nil
	part.IDs, part.Events = b.IDs[i:j], b.Events[i:j]
	if b.Scrubbed != nil {
		part.Scrubbed = b.Scrubbed[i:j]
	}
	if b.Users != nil {
		part.Users = b.Users[i:j]
	}
	return &part
}

// Item is one event ready to be filed, or to be counted as dropped: then what
// stands below Trouble is not there.
type Item struct {
	ID       uuid.UUID
	When     event.When
	Received time.Time
	Event    *event.Event
	Scrubbed scrub.Report
	Verdict  rules.Verdict
	Trouble  []rules.Trouble // rules that could not answer

	Assign               *rules.AssignRule // who may get its issue; nil: no rule says so
	Print                fingerprint.Result
	Frames               [][]event.Frame
	Files                []TraceFile // generated files that the trace names
	SymbolsVersion       int64       // of the project's symbols that were asked; 0: none
	Release, Environment string
	User                 int64 // hash of project and identity
	HasUser              bool
	Body                 []byte // packed Body, not compressed
}

// Body is what is kept of an event beside its row: all that was sent, and the
// frames as they were resolved when it was filed.
type Body struct {
	Event    json.RawMessage
	Resource json.RawMessage
	Filed    FiledWith
}

// FiledWith is what was made of an event when it was filed.
type FiledWith struct {
	Frames   [][]event.Frame `json:"frames,omitempty"`
	Form     int             `json:"form,omitempty"`  // of the symbols that the frames were read with
	Notes    []string        `json:"notes,omitempty"` // of the clock
	Scrubbed scrub.Report    `json:"scrubbed,omitempty"`
}

// Process runs one event of a batch through the steps. symbols resolves the
// frames of the event's release.
func Process(ctx context.Context, p Project, b *Batch, i int, units *Units) (*Item, error) {
	e, err := decode(b.Events[i])
	if err != nil {
		return nil, err
	}
	if err := mergeResource(e, b.Resource); err != nil {
		return nil, err
	}
	item := &Item{ID: b.IDs[i], Received: b.Received, Event: e, Release: event.TrimText(e.Release(), 250), Environment: event.TrimText(e.Environment(), 250)}
	item.When = e.Clock(b.Sent, b.Received, time.Duration(p.KeepDays)*24*time.Hour)
	if _, identity := e.Identity(); identity != "" {
		item.User, item.HasUser = UserHash(p.UserSecret, identity), true
	}
	if b.Users != nil && b.Users[i].Known {
		item.User, item.HasUser = b.Users[i].Hash, true
	}
	if b.Scrubbed != nil {
		item.Scrubbed = b.Scrubbed[i]
	}
	known := units.Of(ctx, p, item.Release)
	readable := sync.OnceValue(func() [][]event.Frame { return symbolicate.Event(e, known, p.options()) })
	if p.Rules != nil && len(p.Rules.Intake) > 0 {
		item.Verdict, item.Trouble = p.Rules.Decide(rules.NewFacts(e, item.When.Thrown, readable), p.off)
		if err := known.Err(); err != nil {
			return nil, err
		}
		if item.Verdict.Drop {
			return item, nil
		}
	}
	frames := readable()
	if err := known.Err(); err != nil {
		return nil, err
	}
	print, trouble := p.Method().Print(e, item.When.Thrown, frames)
	item.Print, item.Frames, item.Trouble = print, frames, append(item.Trouble, trouble...)
	if p.Rules != nil && len(p.Rules.Assigns) > 0 {
		item.Assign, trouble = p.Rules.Assign(rules.NewFacts(e, item.When.Thrown, readable).WithPrint(func() string { return hex.EncodeToString(print.Key[:]) }), p.off)
		item.Trouble = append(item.Trouble, trouble...)
	}
	item.Files, item.SymbolsVersion = TraceFiles(e, frames), known.Version()
	body := Body{Event: b.Events[i], Resource: b.Resource, Filed: FiledWith{Frames: frames, Form: symbols.Format, Scrubbed: item.Scrubbed}}
	if item.When.Reason != "" {
		body.Filed.Notes = append(body.Filed.Notes, item.When.Reason)
	}
	item.Body, err = body.Pack()
	return item, err
}

// TraceFile is a generated file that a trace names.
type TraceFile struct {
	Address, DebugID string
	Pending          bool // a frame in it could not be read for want of symbols
}

// TraceFiles lists the generated files of a trace, as they were named, without
// queries.
func TraceFiles(e *event.Event, frames [][]event.Frame) (out []TraceFile) {
	for _, list := range frames {
		for _, f := range list {
			if !f.Generated {
				continue
			}
			address, _, _ := strings.Cut(f.Raw.File, "?") // as symbols are looked up
			i := slices.IndexFunc(out, func(x TraceFile) bool { return x.Address == address })
			if i < 0 {
				i = len(out)
				out = append(out, TraceFile{Address: address, DebugID: e.DebugID(f.Raw.File)})
			}
			out[i].Pending = out[i].Pending || f.Pending
		}
	}
	return out
}

// Kept is a kept body taken apart: the event, its frames as they were filed,
// and the JSON they were made from.
type Kept struct {
	Event          *event.Event
	Frames         [][]event.Frame
	JSON, Resource []byte
	form           int // of the symbols that Frames were read with
}

// FiledFrames gives the frames as they were filed.
func (k *Kept) FiledFrames() [][]event.Frame { return k.Frames }

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
	return &Kept{e, b.Filed.Frames, b.Event, b.Resource, b.Filed.Form}, nil
}

// Observe undoes a kept body for another look at how it is grouped: its frames
// are those it was filed with, or, where they could not be read then or symbols
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

// Read undoes a kept body and makes its frames readable anew, with their
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
	e.Notes = append(e.Notes, b.Filed.Notes...)
	known := units.Of(ctx, p, e.Release())
	opt := p.options()
	opt.Sources = true
	frames := symbolicate.Event(e, known, opt)
	if err := known.Err(); err != nil {
		return nil, nil, err
	}
	keepResolved(frames, b.Filed.Frames)
	for i := range e.Scrubbed {
		e.Scrubbed[i].By = "client"
	}
	e.Scrubbed = append(e.Scrubbed, scrubbed(b.Filed.Scrubbed)...)
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

// decode reads an event, with all that its stack text holds.
func decode(raw json.RawMessage) (*event.Event, error) {
	e, err := event.Decode(raw, event.DefaultLimits)
	if err != nil {
		return nil, err
	}
	stacktrace.Expand(e, event.DefaultLimits)
	return e, nil
}

// options are how the project's frames are made readable.
func (p *Project) options() symbolicate.Options {
	return symbolicate.Options{Kinds: grouping.Kinds(p.Rules), Clean: func(text string) string {
		clean, _ := p.Rules.Policy().Lines([]string{text}, "statement")
		return strings.Join(clean, " ")
	}}
}

func (p *Project) off(rule string) bool { return p.Off[rule] }

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

// keepResolved takes frames that were resolved when they were filed where the
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

func mergeResource(e *event.Event, raw json.RawMessage) error {
	if len(raw) == 0 {
		return nil
	}
	var base event.Attributes
	if err := json.Unmarshal(raw, &base); err != nil {
		return fmt.Errorf("the envelope's resource: %w", err)
	}
	for k, v := range e.Resource {
		base[k] = v
	}
	e.Resource = base
	return nil
}

// NamesUser says whether a report tells of something that was taken out of
// what names the user.
func NamesUser(r scrub.Report) bool {
	for _, f := range r {
		for _, k := range event.IdentityKeys {
			if f.Where == "attributes."+k || f.Where == "resource."+k {
				return true
			}
		}
	}
	return false
}

// UserOf is the user of an event as it was sent, before anything was taken out
// of it; raw is the event, resource that of its envelope.
func UserOf(secret []byte, raw, resource json.RawMessage) User {
	e, err := event.Decode(raw, event.DefaultLimits)
	if err != nil || mergeResource(e, resource) != nil {
		return User{}
	}
	return UserNamed(secret, e)
}

// UserNamed tells the user that an event names.
func UserNamed(secret []byte, e *event.Event) User {
	if _, identity := e.Identity(); identity != "" {
		return User{true, UserHash(secret, identity)}
	}
	return User{}
}

// UserHash is the first 64 bits of HMAC-SHA-256 over an identity, under the
// project's secret.
func UserHash(secret []byte, identity string) int64 {
	h := hmac.New(sha256.New, secret)
	h.Write([]byte(identity))
	return int64(binary.BigEndian.Uint64(h.Sum(nil)))
}
