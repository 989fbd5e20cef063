package firethorn

import (
	"net/http"
	"time"
)

// Options of Start. Server and Key must be there.
type Options struct {
	Server      string // the service's address, for example https://firethorn.example
	Key         string // the project's ingest key: it can only report
	Service     string // service.name
	Release     string // service.version
	Environment string // deployment.environment.name

	Attributes map[string]any            // of every event
	Edit       func(event *Event) *Event // changes an event before it leaves; nil drops it
	Share      float64                   // which share of events of a kind is sent after the first; those that are sent stand for the others; 0 is all

	// Sessions says what a session is: the process ("process", unless said
	// otherwise), each request that Handler handles ("request"), or nothing
	// ("off").
	Sessions string
	// Hangs is how long a request may take before it counts as hanging and all
	// goroutines are reported; 0 is for ever. Watch is for other work.
	Hangs time.Duration
	// Dir is where events wait on disk until they are stored, and where a crash
	// leaves its traces for the next start. Unless said otherwise it lies in the
	// user's cache directory, by service; "-" keeps everything in memory.
	Dir string
	// Client sends; one with a time-out of ten seconds unless said otherwise.
	Client *http.Client
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

// Details are what can be said about one report.
type Details struct {
	Severity   string // trace, debug, info, warn, error, fatal
	Handled    Handled
	Attributes map[string]any
	Message    string   // beside the error's own
	Extend     []string // adds to the computed fingerprint
	Replace    []string // stands instead of it
	Goroutines bool     // all of them go along
}
