// Package event defines what an application reports: events, exceptions, frames, breadcrumbs. These
// are the leaf types of the core. Reading order: Decode parses a sender's JSON into an Event; Limits
// cuts values that are over a limit; Identity and Placement find the user, release and environment.
//
// Lines and columns count from 1 everywhere in this package, as stack traces
// print them; columns are UTF-16 code units; 0 means not known.
package event

import (
	"encoding/json"
	"strings"
)

// Event is one report of an exception or message, as the wire format defines
// it (docs/event-format.md).
type Event struct {
	ID          string          `json:"id,omitempty"`
	Time        string          `json:"time,omitempty"` // as sent, RFC 3339
	Severity    Severity        `json:"severity,omitempty"`
	Handled     *bool           `json:"handled,omitempty"` // nil: not known
	Message     string          `json:"message,omitempty"`
	Exceptions  []Exception     `json:"exceptions,omitempty"` // the reported one first
	Resource    Attributes      `json:"resource,omitempty"`
	Attributes  Attributes      `json:"attributes,omitempty"`
	State       json.RawMessage `json:"state,omitempty"`
	Breadcrumbs []Breadcrumb    `json:"breadcrumbs,omitempty"` // oldest first
	Threads     []Thread        `json:"threads,omitempty"`
	Symbols     []SymbolRef     `json:"symbols,omitempty"`
	TraceID     string          `json:"trace_id,omitempty"`
	SpanID      string          `json:"span_id,omitempty"`
	Scope       string          `json:"scope,omitempty"`
	Log         *Log            `json:"log,omitempty"`  // the log record the event was found in
	Span        *Span           `json:"span,omitempty"` // the span that recorded it
	Grouping    *Grouping       `json:"grouping,omitempty"`
	// How many such events this one counts as; at least 1 after Decode.
	StandsFor int64 `json:"stands_for,omitempty"`

	// Scrubbed says what was replaced because it was secret, and why.
	Scrubbed ScrubbedList `json:"scrubbed,omitempty"`
	// Notes says what was cut or replaced on the way in, in words.
	Notes []string `json:"notes,omitempty"`
	// Extra holds the fields the format does not know; they are kept and shown.
	Extra map[string]json.RawMessage `json:"extra,omitempty"`

	later json.RawMessage // breadcrumbs that DecodeSparse left as they were sent
}

// Exception is one thrown value.
type Exception struct {
	Type     string     `json:"type,omitempty"`
	Message  string     `json:"message,omitempty"`
	Stack    string     `json:"stack,omitempty"`  // exactly as the runtime printed it
	Frames   []RawFrame `json:"frames,omitempty"` // innermost first; they count before Stack
	Parent   *int       `json:"parent,omitempty"` // index of the exception this one belongs to
	Relation string     `json:"relation,omitempty"`
	Thrown   string     `json:"thrown,omitempty"` // "string", "number" … where the value was no error
	ThreadID string     `json:"thread.id,omitempty"`
}

// RawFrame is a frame as a runtime gives it.
type RawFrame struct {
	Function string `json:"function,omitempty"`
	Module   string `json:"module,omitempty"`
	File     string `json:"file,omitempty"`
	Line     int    `json:"line,omitempty"`
	Column   int    `json:"column,omitempty"`
	Address  string `json:"address,omitempty"`
	Image    string `json:"image,omitempty"`
	Own      *bool  `json:"own,omitempty"`
	Async    bool   `json:"-"` // it awaited the frame below it
	Builtin  bool   `json:"-"` // a function of the runtime, which names its caller's place
}

// Kind says whose code a frame is.
type Kind string

// The kinds of frame.
const (
	Own     Kind = "own"     // the application's code
	Vendor  Kind = "vendor"  // a dependency's
	Runtime Kind = "runtime" // the language runtime's
)

// Position is a place in a file as a trace names it.
type Position struct {
	Function string `json:"function"`
	File     string `json:"file"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
}

// SourceLine is one line of source text with its number, counted from 1.
type SourceLine struct {
	Line int    `json:"line"`
	Text string `json:"text"`
	From int    `json:"from,omitempty"` // how many characters of a long line were left out before the text
}

// Frame is a frame made readable, beside what it was made from.
type Frame struct {
	Function string `json:"function"` // "" for anonymous functions and top-level code
	// Of an anonymous function: the function around it, and the calls it is an argument of.
	Within string   `json:"within,omitempty"`
	File   string   `json:"file"`
	Line   int      `json:"line"`
	Column int      `json:"column"`
	Kind   Kind     `json:"kind"`
	Raw    Position `json:"raw"`
	WhyRaw string   `json:"why_raw,omitempty"` // why it could not be resolved, and what to do
	// Statement is the source text at the place where its function
	// cannot be known.
	Statement   string       `json:"statement,omitempty"`
	SourceLines []SourceLine `json:"source_lines,omitempty"` // seven each side where the sources are known
	// SourceCommit is the commit of the repository that the source lines were
	// read at; "" where symbols brought them.
	SourceCommit string `json:"source_commit,omitempty"`
	Origin       bool   `json:"origin,omitempty"` // the frame the issue is blamed on
	// LookThrough is true of an own frame that a rule of the project says fails on
	// behalf of its callers only.
	LookThrough bool `json:"look_through,omitempty"`
	// MakesError is true of a function that its source says makes an error: a
	// constructor of one, or what returns a new one.
	MakesError bool `json:"makes_error,omitempty"`
	// OnBehalf is true of a function that its source says fails on behalf of its
	// callers: an assertion, a request for what it is given.
	OnBehalf bool `json:"on_behalf,omitempty"`
	// Async is true of a frame that awaited the one below it.
	Async bool `json:"async,omitempty"`
	// Vanished is true of a frame whose function did not call the one of the
	// runtime below it: the engine left out who did, for that call was its last act.
	Vanished bool `json:"vanished,omitempty"`
	// Builtin is true of a function of the runtime that has no place of its own:
	// its frame names that of its caller.
	Builtin bool `json:"builtin,omitempty"`
	// Digest is a hash of the text of the frame's function (scope.Digest), of the
	// frames that a fingerprint is made from; "" where the text is not known.
	Digest string `json:"digest,omitempty"`
	// Ignored is true of a frame that its source map says is none of the application's own.
	Ignored bool `json:"ignored,omitempty"`
	// Pending is true while symbols that may still come could resolve the frame.
	Pending bool `json:"pending,omitempty"`
	// Generated is true of a frame in a file that symbols are looked for.
	Generated bool `json:"-"`
}

// Called is what the frame's function is called where one text has to do: its
// name, or that of the function whose callback it is.
func (f Frame) Called() string {
	switch {
	case f.Function != "" || f.Within == "":
		return f.Function
	case strings.HasSuffix(f.Within, " initializer"):
		return f.Within
	}
	return f.Within + " (callback)"
}

// Breadcrumb is something that happened before the event.
type Breadcrumb struct {
	Time       string     `json:"time,omitempty"`
	Kind       string     `json:"kind,omitempty"`
	Message    string     `json:"message,omitempty"`
	Severity   Severity   `json:"severity,omitempty"`
	Attributes Attributes `json:"attributes,omitempty"`
}

// Thread is one thread or goroutine at the moment of the event.
type Thread struct {
	ID        string     `json:"thread.id,omitempty"`
	Name      string     `json:"thread.name,omitempty"`
	Blamed    bool       `json:"blamed,omitempty"`
	WaitingOn string     `json:"waiting_on,omitempty"`
	Stack     string     `json:"stack,omitempty"`
	Frames    []RawFrame `json:"frames,omitempty"`
}

// SymbolRef ties a loaded file to the debug id of its symbols.
type SymbolRef struct {
	File         string `json:"file,omitempty"`
	DebugID      string `json:"debug_id,omitempty"`
	ImageAddress string `json:"image_address,omitempty"`
	Size         int64  `json:"size,omitempty"`
	Arch         string `json:"arch,omitempty"`
}

// Grouping is the application's own word on grouping.
type Grouping struct {
	Extend  []string `json:"extend,omitempty"`
	Replace []string `json:"replace,omitempty"`
}

// Scrubbed is a replacement at one place of an event.
type Scrubbed struct {
	Rule  string `json:"rule"`         // a rule of the project, or the kind of secret
	Where string `json:"where"`        // "attributes.url.full", "breadcrumbs[3].message"
	Count int    `json:"count"`        // how often, at this place
	By    string `json:"by,omitempty"` // "client" or "service"
}

// ScrubbedList is what a client says it scrubbed. Entries of another form are dropped:
// it is no reason to refuse an event.
type ScrubbedList []Scrubbed

const maxScrubbed = 100

// UnmarshalJSON reads a list; anything else is none.
func (l *ScrubbedList) UnmarshalJSON(raw []byte) error {
	var list []Scrubbed
	if err := json.Unmarshal(raw, &list); err != nil {
		return nil
	}
	*l = list[:min(len(list), maxScrubbed)]
	return nil
}

// Release is service.version, else the commit, else "".
func (e *Event) Release() string {
	if v := e.text("service.version"); v != "" {
		return v
	}
	return e.text("vcs.ref.head.revision")
}

// NoEnvironment is the environment of events that name none.
const NoEnvironment = "unknown"

// Environment is deployment.environment.name, else NoEnvironment.
func (e *Event) Environment() string {
	if v := e.text("deployment.environment.name"); v != "" {
		return v
	}
	return NoEnvironment
}

// IdentityKeys are the names under which a user is looked for, best first.
var IdentityKeys = []string{"user.id", "user.email", "user.name", "enduser.id", "enduser.pseudo.id",
	"app.installation.id"}

// Identity is the affected user and the attribute it came from; "" when no
// user is known, and then the event counts but no user does.
func (e *Event) Identity() (name, value string) {
	for _, k := range IdentityKeys {
		if v := e.Attributes.Text(k); v != "" {
			return k, v
		}
	}
	for _, k := range IdentityKeys {
		if v := e.Resource.Text(k); v != "" {
			return k, v
		}
	}
	return "", ""
}

// DebugID is the debug id the event gives for a loaded file, or "".
func (e *Event) DebugID(file string) string {
	for _, s := range e.Symbols {
		if s.File == file {
			return strings.ToLower(s.DebugID)
		}
	}
	return ""
}

func (e *Event) text(name string) string {
	if v := e.Resource.Text(name); v != "" {
		return v
	}
	return e.Attributes.Text(name)
}
