package contract

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
	Kind   string   `json:"kind"`
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
	// Digest is a hash of the text of the frame's function, of the
	// frames that a fingerprint is made from; "" where the text is not known.
	Digest string `json:"digest,omitempty"`
	// Ignored is true of a frame that its source map says is none of the application's own.
	Ignored bool `json:"ignored,omitempty"`
	// Pending is true while symbols that may still come could resolve the frame.
	Pending bool `json:"pending,omitempty"`
}

// SymbolRef ties a loaded file to the debug id of its symbols.
type SymbolRef struct {
	File         string `json:"file,omitempty"`
	DebugID      string `json:"debug_id,omitempty"`
	ImageAddress string `json:"image_address,omitempty"`
	Size         int64  `json:"size,omitempty"`
	Arch         string `json:"arch,omitempty"`
}

// Span is the span that an exception was recorded on.
type Span struct {
	Name     string `json:"name,omitempty"`
	Kind     string `json:"kind,omitempty"` // "server", "client", "internal", "producer", "consumer"
	ParentID string `json:"parent_span_id,omitempty"`
}

// Scrubbed is a replacement at one place of an event.
type Scrubbed struct {
	Rule  string `json:"rule"`         // a rule of the project, or the kind of secret
	Where string `json:"where"`        // "attributes.url.full", "breadcrumbs[3].message"
	Count int    `json:"count"`        // how often, at this place
	By    string `json:"by,omitempty"` // "client" or "service"
}

// Breadcrumb is something that happened before the event.
type Breadcrumb struct {
	Time       string         `json:"time,omitempty"`
	Kind       string         `json:"kind,omitempty"`
	Message    string         `json:"message,omitempty"`
	Severity   string         `json:"severity,omitempty"`
	Attributes map[string]any `json:"attributes,omitempty"`
}
