// Package pipeline prepares stored batches for processing: decode, correct the clock, symbolicate,
// fingerprint. It declares what it needs from the store, and stores nothing itself.
//
// Reading order: Batch (what intake stored), Process (the steps), Item (what
// comes out), Units (the symbols, cached).
package pipeline

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/attributes"
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

	LocateUsers bool // the country of client addresses is noted

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
	Users    []User            // one for each event, or nil: the user that the event names
	Sessions []Message         // what is told of sessions
	Feedback []Message         // what people said
	Country  string            // of the page that sent them, where the project wants it; "": not known
	Received time.Time
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

// Item is one event ready to be processed, or to be counted as dropped: then what
// stands below Trouble is not there.
type Item struct {
	ID       uuid.UUID
	When     event.When
	Received time.Time
	Event    *event.Event
	Scrubbed scrub.Report
	Verdict  rules.Verdict
	Trouble  []rules.Trouble // rules that could not answer

	Assign  *rules.AssignRule  // who may get its issue; nil: no rule says so
	Alert   *rules.Facts       // what alert rules may ask of it
	Counted []*rules.AlertRule // alert rules with a threshold that count it, of those that ask the event alone

	Print                fingerprint.Result
	Frames               [][]event.Frame
	Files                []TraceFile // generated files that the trace names
	SymbolsVersion       int64       // of the project's symbols that were asked; 0: none
	Release, Environment string
	User                 int64 // hash of project and identity
	HasUser              bool
	Attributes           []attributes.Named // what of it is searched
	Identities           []int64            // hashes of what else its user is called
	Body                 []byte             // packed Body, not compressed
}

// Body is stored for an event beside its row: everything that was sent, and the
// frames as they were resolved when it was processed.
type Body struct {
	Event     json.RawMessage
	Resource  json.RawMessage
	Processed ProcessedWith
}

// ProcessedWith is the result of processing an event.
type ProcessedWith struct {
	Frames   [][]event.Frame `json:"frames,omitempty"`
	Form     int             `json:"form,omitempty"`    // of the symbols that the frames were read with
	Notes    []string        `json:"notes,omitempty"`   // of the clock
	Country  string          `json:"country,omitempty"` // of the client's address
	Scrubbed scrub.Report    `json:"scrubbed,omitempty"`
}

// Process runs one event of a batch through the steps. symbols resolves the
// frames of the event's release.
func Process(ctx context.Context, p Project, b *Batch, i int, units *Units) (*Item, error) {
	e, err := event.DecodeSparse(b.Events[i], event.DefaultLimits)
	if err != nil {
		return nil, err
	}
	stacktrace.Expand(e, event.DefaultLimits)
	if err := mergeResource(e, b.Resource); err != nil {
		return nil, err
	}
	item := &Item{ID: b.IDs[i], Received: b.Received, Event: e, Release: event.TrimText(e.Release(), 250),
		Environment: event.TrimText(e.Environment(), 250)}
	item.When = e.Clock(b.Sent, b.Received, time.Duration(p.KeepDays)*24*time.Hour)
	if _, identity := e.Identity(); identity != "" {
		item.User, item.HasUser = UserHash(p.UserSecret, identity), true
	}
	if b.Users != nil && b.Users[i].Set {
		item.User, item.HasUser = b.Users[i].Hash, true
	}
	if b.Scrubbed != nil {
		item.Scrubbed = b.Scrubbed[i]
	}
	known := units.Of(ctx, p, item.Release)
	options := p.options()
	options.Memory = traces{known, p.RulesVersion}
	readable := sync.OnceValue(func() [][]event.Frame { return symbolicate.Event(e, known, options) })
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
	symbolicate.Digests(e, frames, known)
	item.Print, item.Frames, item.Trouble = print, frames, append(item.Trouble, trouble...)
	if p.Rules != nil && len(p.Rules.Assigns) > 0 {
		item.Assign, trouble = p.Rules.Assign(rules.NewFacts(e, item.When.Thrown, readable).WithPrint(func() string {
			return hex.EncodeToString(print.Key[:])
		}), p.off)
		item.Trouble = append(item.Trouble, trouble...)
	}
	item.askAlerts(p, readable)
	country := countryOf(p, b, e, units)
	addCountry(e, country)
	item.Attributes = attributes.Of(e)
	item.Identities = OtherIdentities(p.UserSecret, e)
	item.Files, item.SymbolsVersion = TraceFiles(e, frames), known.Version()
	body := Body{Event: b.Events[i], Resource: b.Resource,
		Processed: ProcessedWith{Frames: frames, Form: symbols.Format, Scrubbed: item.Scrubbed, Country: country}}
	if item.When.Reason != "" {
		body.Processed.Notes = append(body.Processed.Notes, item.When.Reason)
	}
	item.Body, err = body.Pack()
	return item, err
}

// askAlerts asks the alert rules that count events whether they count this one. Rules that
// ask for the issue are asked later, when it is known.
func (it *Item) askAlerts(p Project, readable func() [][]event.Frame) {
	var ask []*rules.AlertRule
	list := p.Rules.AlertRules()
	for _, r := range list {
		if r.Threshold() && !r.Live {
			ask = append(ask, r)
		}
	}
	if len(list) == 0 {
		return
	}
	key := it.Print.Key
	it.Alert = rules.NewFacts(it.Event, it.When.Thrown, readable).WithPrint(func() string {
		return hex.EncodeToString(key[:])
	})
	if len(ask) > 0 {
		var trouble []rules.Trouble
		it.Counted, trouble = rules.Alerts(ask, it.Alert, p.off)
		it.Trouble = append(it.Trouble, trouble...)
	}
}

// countryName is where OpenTelemetry has the country of a client.
const countryName = "geo.country.iso_code"

// countryOf is the country of an event's client, where the project wants it noted and
// the event does not say it.
func countryOf(p Project, b *Batch, e *event.Event, units *Units) string {
	if !p.LocateUsers || e.Attributes.Text(countryName) != "" || e.Resource.Text(countryName) != "" {
		return ""
	}
	if address := e.Attributes.Text("client.address"); address != "" && units.Countries != nil {
		return units.Countries.Of(address)
	}
	return b.Country
}

// addCountry lets an event say the country that was found out.
func addCountry(e *event.Event, country string) {
	if country == "" {
		return
	}
	if e.Attributes == nil {
		e.Attributes = event.Attributes{}
	}
	e.Attributes[countryName] = country
}

// TraceFile is a generated file that a trace names.
type TraceFile struct {
	Address, DebugID string
	Pending          bool // a frame in it could not be read because symbols are missing
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
