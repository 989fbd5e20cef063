// Package contract holds the JSON types of the API, shared by the API and the command line. Times are
// RFC 3339 in UTC; fields are only ever added.
package contract

import (
	"encoding/json"
	"time"
)

// Project is an application that reports.
type Project struct {
	Name          string     `json:"name"`
	IngestKey     string     `json:"ingest_key" doc:"the newest good ingest key; it is public and can only report"`
	Created       time.Time  `json:"created"`
	KeepDays      int        `json:"keep_days" doc:"how long events are kept"`
	KeepSymbols   int        `json:"keep_symbols" doc:"for how many days symbols are kept after they were pushed or used last"`
	Issues        int64      `json:"issues"`
	OpenIssues    int64      `json:"open_issues"`
	Events        int64      `json:"events"`
	LastEvent     *time.Time `json:"last_event,omitempty"`
	Origins       []string   `json:"origins" nullable:"false" doc:"web origins that may report; * allows any"`
	Allowance     Allowance  `json:"allowance"`
	Rules         int        `json:"rules_version" doc:"of the rules file; 0 when none was pushed yet"`
	ReleaseOrder  string     `json:"release_order" enum:"auto,commits,versions,announcement" doc:"the order of releases"`
	Repository    string     `json:"repository,omitempty" doc:"that its code may be fetched from"`
	CommitLink    string     `json:"commit_link,omitempty" doc:"URL of a commit for people; {commit} is replaced by its hash"`
	SourcePaths   []Mapping  `json:"source_paths" nullable:"false" doc:"source paths of maps and traces, and their paths in the repository"`
	LocateUsers   bool       `json:"locate_users" doc:"the country of client addresses is noted, where the service has a database file for it"`
	CutOffCrashes bool       `json:"cut_off_crashes" doc:"cut-off sessions count as crashed"`
	LogMessages   string     `json:"log_messages" enum:"off,error,fatal" doc:"the lowest severity at which log records without an exception become events"`
}

// Allowance is how many events a project takes in; 0 is any number.
type Allowance struct {
	Minute int64 `json:"minute"`
	Day    int64 `json:"day"`
}

// Projects is a list of projects.
type Projects struct {
	Projects []Project `json:"projects" nullable:"false"`
}

// NewProject asks for a project.
type NewProject struct {
	Name     string `json:"name" doc:"lower-case letters, digits, dashes"`
	KeepDays int    `json:"keep_days,omitempty" enum:"7,30,90,365" default:"30" doc:"how long events are kept"`
}

// Key is an ingest key.
type Key struct {
	Key      string     `json:"key"`
	Label    string     `json:"label"`
	Good     bool       `json:"good" doc:"it may report now"`
	Routes   bool       `json:"routes" doc:"service.name may name the project"`
	Created  time.Time  `json:"created"`
	Until    *time.Time `json:"until,omitempty" doc:"valid until then, since another replaced it"`
	Revoked  *time.Time `json:"revoked,omitempty"`
	LastUsed *time.Time `json:"last_used,omitempty" doc:"within five minutes"`
}

// Keys is a list of ingest keys.
type Keys struct {
	Keys []Key `json:"keys" nullable:"false"`
}

// NewKey asks for an ingest key.
type NewKey struct {
	Label  string `json:"label,omitempty" maxLength:"100"`
	Routes bool   `json:"routes,omitempty" doc:"service.name selects the project, which is created when it is first seen"`
}

// RotateKey asks for a key in the place of another.
type RotateKey struct {
	OverlapHours int `json:"overlap_hours" minimum:"0" maximum:"8760" doc:"how long the old one stays valid"`
}

// SetUp says how an application is set up to report to a project.
type SetUp struct {
	Runtimes []SetUpRuntime `json:"runtimes" nullable:"false" doc:"runtimes with a guide"`
	Runtime  string         `json:"runtime"`
	Name     string         `json:"name"`
	About    string         `json:"about"`
	Steps    []SetUpStep    `json:"steps" nullable:"false"`
}

// SetUpRuntime is a runtime that there is a guide for.
type SetUpRuntime struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

// SetUpStep is one thing to do.
type SetUpStep struct {
	Title string `json:"title"`
	Why   string `json:"why,omitempty"`
	Run   string `json:"run,omitempty" doc:"shell commands, one a line"`
	File  string `json:"file,omitempty" doc:"the file to write, in the application's directory"`
	Text  string `json:"text,omitempty" doc:"the file's text, or what to type"`
	Later bool   `json:"later,omitempty" doc:"it belongs into the build or the deployment, not into the first try"`
}

// Origin is the frame an issue is blamed on.
type Origin struct {
	Function string `json:"function"`
	File     string `json:"file"`
	Line     int    `json:"line"`
}

// TrendDay is one day (UTC) of an issue.
type TrendDay struct {
	Day    string `json:"day" doc:"YYYY-MM-DD"`
	Events int64  `json:"events"`
	Users  int64  `json:"users"`
}

// Issue is an issue as lists show it.
type Issue struct {
	ID              string     `json:"id" doc:"PROJECT/NUMBER"`
	Headline        string     `json:"headline"`
	Place           string     `json:"place" doc:"FILE:LINE of the origin, empty when it is not known"`
	Message         string     `json:"message"`
	Origin          Origin     `json:"origin"`
	State           string     `json:"state" enum:"new,accepted,fixed,regressed,parked,dismissed"`
	FixedIn         string     `json:"fixed_in,omitempty" doc:"the release it is or was fixed in; of a fix in the next release or by a commit the first that contains it"`
	Status          string     `json:"standing" doc:"state and owner as text, with its fix or wake conditions"`
	Fix             *Fix       `json:"fix,omitempty" doc:"while it is fixed or regressed"`
	Parked          *Park      `json:"parked,omitempty" doc:"while it is parked"`
	CountOnly       bool       `json:"count_only,omitempty" doc:"dismissed, and bodies of its events are not kept"`
	Quiet           string     `json:"quiet,omitempty" doc:"a sentence about an open issue that stopped by itself"`
	Owner           *string    `json:"owner" doc:"a person's name, null when it has no owner"`
	Severity        string     `json:"severity"`
	Graded          bool       `json:"severity_by_hand,omitempty" doc:"a person set the severity"`
	Surge           *Surge     `json:"surge,omitempty" doc:"while it occurs far more often than it did"`
	Unhandled       bool       `json:"unhandled" doc:"nothing in the application caught the newest event"`
	Events          int64      `json:"events"`
	Users           int64      `json:"users"`
	Impact          float64    `json:"impact" doc:"0 to 100"`
	ImpactText      string     `json:"impact_words" doc:"the largest part of the impact"`
	FirstSeen       time.Time  `json:"first_seen"`
	LastSeen        time.Time  `json:"last_seen"`
	FirstRelease    string     `json:"first_release"`
	LastRelease     string     `json:"last_release"`
	Trend           []TrendDay `json:"trend" nullable:"false" doc:"the last 14 days, oldest first"`
	Version         int64      `json:"version" doc:"for If-Match; grows with each decision"`
	Bodies          int64      `json:"bodies" doc:"events with a stored body; the others have only a row and counts"`
	Recounting      bool       `json:"recounting,omitempty" doc:"a merge, split or undo is still updating the counts"`
	Per1000Sessions *float64   `json:"per_1000_sessions,omitempty" doc:"in lists: events for 1,000 sessions of the project, in the window of the search or in the 14 days of the trend; absent where it has no sessions"`
	Tickets         []Ticket   `json:"tickets,omitempty" doc:"its tickets in trackers"`
	Matching        *Matching  `json:"matching,omitempty" doc:"if events were searched: its matching events"`
}

// Issues is a page of issues.
type Issues struct {
	Issues   []Issue          `json:"issues" nullable:"false"`
	Next     string           `json:"next,omitempty" doc:"cursor of the next page; absent on the last"`
	States   map[string]int64 `json:"states" doc:"how many issues are in each state"`
	Sessions int64            `json:"sessions" doc:"of the project, in the window of the search or in the 14 days of the trend"`
	Searched
}

// Seen is how often an issue was seen in a release or environment.
type Seen struct {
	Name      string    `json:"name"`
	Events    int64     `json:"events"`
	FirstSeen time.Time `json:"first_seen"`
	LastSeen  time.Time `json:"last_seen"`
}

// IssueDetail is all about one issue.
type IssueDetail struct {
	Issue
	ImpactParts  []Summand `json:"impact_parts" nullable:"false" doc:"the arithmetic of the impact"`
	Releases     []Seen    `json:"releases" nullable:"false"`
	Environments []Seen    `json:"environments" nullable:"false"`
	Grouping     []Part    `json:"grouping" nullable:"false" doc:"the parts of the fingerprint"`
	Link         string    `json:"link" doc:"the issue in the console"`
	Notes        []string  `json:"notes,omitempty" doc:"of a decision: a hint about it"`
	Feedback     int64     `json:"feedback" doc:"entries of feedback about it"`
	Watching     []string  `json:"watching" nullable:"false" doc:"who gets notices about it, besides its owner"`
	MergedFrom   []string  `json:"merged_from" nullable:"false" doc:"issues merged into this one; their ids redirect here"`
	Splits       []SplitOf `json:"splits" nullable:"false" doc:"parts that were split off it, and the split that made it"`
}

// HistoryEntry is one thing that happened to an issue.
type HistoryEntry struct {
	At      time.Time       `json:"at"`
	Actor   string          `json:"actor" doc:"a person, a token's label, or empty for the service"`
	Kind    string          `json:"kind"`
	Text    string          `json:"words"`
	Why     string          `json:"why,omitempty" doc:"the reason that was given"`
	Release string          `json:"release,omitempty" doc:"that it is about"`
	Detail  json.RawMessage `json:"detail,omitempty" doc:"regressed: the event, the environment, the last good release and the commits since then"`
	Bulk    int64           `json:"bulk,omitempty" doc:"the decision about many issues that it is part of"`
	Undone  bool            `json:"undone,omitempty"`
	Comment int64           `json:"comment,omitempty" doc:"kind comment: its number; words are Markdown"`
	Edited  *time.Time      `json:"edited,omitempty" doc:"kind comment: when it was changed last"`
	Mine    bool            `json:"mine,omitempty" doc:"of kind comment: the caller may change it"`
	CanUndo bool            `json:"can_undo,omitempty" doc:"undo takes it back, once those above it are undone"`
}

// History is an issue's history and its comments, newest first.
type History struct {
	History []HistoryEntry `json:"history" nullable:"false"`
}

// Act is what an action needs.
type Act struct {
	To       string `json:"to,omitempty" doc:"assign: a person's name or address; empty takes the owner away"`
	Release  string `json:"release,omitempty" doc:"fix: the release it is fixed in" maxLength:"250"`
	Next     bool   `json:"next,omitempty" doc:"fix: in the next release"`
	Commit   string `json:"commit,omitempty" doc:"fix: by this commit" maxLength:"64"`
	Now      bool   `json:"now,omitempty" doc:"fix: as of now"`
	Park     *Park  `json:"park,omitempty" doc:"park: the conditions that wake it"`
	Severity string `json:"severity,omitempty" doc:"severity: fatal, error, warning, info, debug, or events for what the events say" maxLength:"20"`
	Why      string `json:"why,omitempty" doc:"a comment for the history" maxLength:"500"`
}

// Merge asks for issues to be merged into another one of their project.
type Merge struct {
	Into   int64   `json:"into" minimum:"1" doc:"the number of the issue that stays"`
	Others []int64 `json:"others,omitempty" maxItems:"100" doc:"numbers of more issues to merge into it"`
}

// EventRow is an event in a list.
type EventRow struct {
	ID          string            `json:"id"`
	Time        time.Time         `json:"time"`
	Received    time.Time         `json:"received"`
	Issue       string            `json:"issue"`
	Headline    string            `json:"headline"`
	Release     string            `json:"release"`
	Environment string            `json:"environment"`
	StandsFor   int64             `json:"stands_for"`
	Kept        bool              `json:"kept" doc:"its body is kept; otherwise its row is shown, with the trace of a similar event"`
	Columns     map[string]string `json:"columns,omitempty" doc:"the values of the requested columns"`
}

// Events is a page of events, newest processed first.
type Events struct {
	Events []EventRow `json:"events" nullable:"false"`
	Next   string     `json:"next,omitempty"`
	Searched
}

// Exception is a thrown value with readable frames.
type Exception struct {
	Type     string  `json:"type,omitempty"`
	Message  string  `json:"message,omitempty"`
	Parent   *int    `json:"parent,omitempty"`
	Relation string  `json:"relation,omitempty"`
	Thrown   string  `json:"thrown,omitempty"`
	Frames   []Frame `json:"frames" nullable:"false" doc:"innermost first"`
	Stack    string  `json:"stack,omitempty" doc:"exactly as the runtime printed it"`
}

// User is the user of an event.
type User struct {
	Attribute string `json:"attribute"`
	Value     string `json:"value"`
}

// Event is an event, whole and readable.
type Event struct {
	EventRow
	Severity    string                     `json:"severity"`
	Handled     *bool                      `json:"handled,omitempty"`
	Message     string                     `json:"message,omitempty"`
	User        *User                      `json:"user,omitempty"`
	Exceptions  []Exception                `json:"exceptions" nullable:"false" doc:"outermost first"`
	Breadcrumbs []Breadcrumb               `json:"breadcrumbs" nullable:"false" doc:"oldest first"`
	Attributes  map[string]any             `json:"attributes"`
	Resource    map[string]any             `json:"resource"`
	State       json.RawMessage            `json:"state,omitempty"`
	Threads     []Thread                   `json:"threads,omitempty" doc:"the blamed one first"`
	Feedback    []Feedback                 `json:"feedback" nullable:"false" doc:"feedback about this event"`
	Session     *Session                   `json:"session,omitempty" doc:"the session in which it was thrown"`
	Symbols     []SymbolRef                `json:"symbols,omitempty"`
	TraceID     string                     `json:"trace_id,omitempty"`
	SpanID      string                     `json:"span_id,omitempty"`
	Scope       string                     `json:"scope,omitempty"`
	Log         *Log                       `json:"log,omitempty" doc:"the log record it was found in"`
	Span        *Span                      `json:"span,omitempty" doc:"the span that recorded it"`
	Scrubbed    []Scrubbed                 `json:"scrubbed" nullable:"false" doc:"the secrets that were replaced, and by which rule"`
	Notes       []string                   `json:"notes" nullable:"false" doc:"what was cut or corrected at intake"`
	Extra       map[string]json.RawMessage `json:"extra,omitempty"`
	Position    *EventPosition             `json:"position,omitempty" doc:"the position of the event in its issue"`
}

// Log is the log record that an event was found in.
type Log struct {
	Text         string `json:"text" doc:"the record's body: its text, or its JSON"`
	Name         string `json:"name,omitempty" doc:"of the kind of record"`
	SeverityText string `json:"severity_text,omitempty" doc:"as the logger wrote it"`
}

// TraceEvents is what one trace ran into, in all projects that who asks may
// see, in the order it was thrown.
type TraceEvents struct {
	Trace  string     `json:"trace"`
	Events []EventRow `json:"events" nullable:"false"`
	More   bool       `json:"more,omitempty" doc:"there are more than are listed"`
}

// EventPosition is where an event stands among those of its issue whose bodies
// are kept.
type EventPosition struct {
	Number int64  `json:"number" doc:"1 is the newest kept; 0: beyond the first 10,000"`
	Kept   int64  `json:"kept" doc:"how many are kept"`
	Total  int64  `json:"total" doc:"the issue's events, kept or not"`
	Newest string `json:"newest,omitempty"`
	Newer  string `json:"newer,omitempty"`
	Older  string `json:"older,omitempty"`
	Oldest string `json:"oldest,omitempty"`
}

// ChangeProject changes a project; absent fields stay as they are.
type ChangeProject struct {
	KeepDays        int      `json:"keep_days,omitempty" enum:"7,30,90,365" doc:"how long events are kept; acts on events from now on"`
	KeepSymbols     int      `json:"keep_symbols,omitempty" minimum:"1" maximum:"3650" doc:"for how many days symbols are kept after they were pushed or used last"`
	AllowanceMinute *int64   `json:"allowance_minute,omitempty" minimum:"-1" maximum:"4000000000" doc:"events a minute; 0: any number; -1: the default"`
	AllowanceDay    *int64   `json:"allowance_day,omitempty" minimum:"-1" maximum:"4000000000" doc:"events a day; 0: any number; -1: the default"`
	Origins         []string `json:"origins,omitempty" maxItems:"100" doc:"web origins that may report; * allows any"`
	ReleaseOrder    string   `json:"release_order,omitempty" enum:"auto,commits,versions,announcement" doc:"the order of releases: by commit if possible, else by version, else by announcement; or by one of these only"`
	Repository      *string  `json:"repository,omitempty" doc:"https or ssh address that its code may be fetched from, where the operator allows it; empty: builds send it"`
	CommitLink      *string  `json:"commit_link,omitempty" doc:"URL of a commit for people; {commit} is replaced by its hash; empty: none"`
	SourcePaths     []string `json:"source_paths,omitempty" maxItems:"50" doc:"FROM=TO: source paths that begin with FROM are below TO in the repository; replaces the former list; a single empty text removes it"`
	LocateUsers     *bool    `json:"locate_users,omitempty" doc:"whether the country of client addresses is noted"`
	CutOffCrashes   *bool    `json:"cut_off_crashes,omitempty" doc:"whether cut-off sessions count as crashed"`
	LogMessages     string   `json:"log_messages,omitempty" enum:"off,error,fatal" doc:"the lowest severity at which log records without an exception become events"`
}
