package firethorn

import (
	"context"
	"net/http"
	"time"
)

// Options of Start and New. Server and Key are required.
type Options struct {
	Server      string // the service's address, for example https://firethorn.example
	Key         string // the project's ingest key: it can only report
	Service     string // service.name
	Release     string // service.version
	Environment string // deployment.environment.name

	Attributes map[string]any            // of every event
	Edit       func(event *Event) *Event // changes an event before it leaves; nil drops it
	// Share is the part of a kind's events that is sent after the first, 0 to
	// 1. Those that are sent represent the others. 0 sends all.
	Share float64

	// Sessions says what a session is: the process ("process", the default of
	// Start), each request that Handler handles ("request"), or nothing ("off",
	// the default of New).
	Sessions string
	// Hangs is how long a request may take before it counts as a hang; 0 is for
	// ever. A request that streams its answer is never a hang. Watch is for
	// other work.
	Hangs time.Duration
	// Dir is where events wait until they are stored, and where a crash leaves
	// its traces for the next start. "-" keeps everything in memory. The default
	// of Start lies in the user's cache directory, by service and key; that of
	// New is "-". What the client makes there is readable by its own user alone.
	// Where that is not possible nothing is kept on disk, and Warn says so once.
	Dir string
	// Client sends. The default has a time limit of ten seconds.
	Client *http.Client
	// Trace reads the ids of the current trace and span from a context: 32 and
	// 16 hexadecimal digits, as W3C Trace Context writes them. With
	// OpenTelemetry: trace.SpanContextFromContext(ctx).
	Trace func(ctx context.Context) (traceID, spanID string)
	// Warn gets, once for each cause, what keeps the client from working: a
	// wrong key, a directory it may not use. The default writes to standard
	// error.
	Warn func(text string)
}

// Identity is a user. One part of it is enough.
type Identity struct{ ID, Email, Name string }

// Handled says whether the program caught an error.
type Handled int8

// The kinds of Handled.
const (
	Unknown Handled = iota
	True
	False
)

// Details are options of one report.
type Details struct {
	Severity   string // trace, debug, info, warn, error, fatal
	Handled    Handled
	Attributes map[string]any
	Message    string   // beside the error's own
	Extend     []string // adds to the computed fingerprint
	Replace    []string // stands instead of it
	Goroutines bool     // adds the stacks of all goroutines
}
