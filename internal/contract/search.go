package contract

import "time"

// Searched is the part that all answers to searches share.
type Searched struct {
	CompleteFrom *time.Time `json:"complete_from,omitempty" doc:"events thrown before may be missing: the search index does not hold all of them yet"`
	Warnings     []string   `json:"warnings,omitempty" doc:"what is left out, and why"`
}

// Matching is what of an issue's events fit a search.
type Matching struct {
	Events int64     `json:"events"`
	Users  int64     `json:"users"`
	First  time.Time `json:"first"`
	Last   time.Time `json:"last"`
}

// Facets are the values of attributes in the events that fit.
type Facets struct {
	Events       int64   `json:"events"`
	Users        int64   `json:"users"`
	SampledShare float64 `json:"sampled_share" doc:"1: all events were counted"`
	Facets       []Facet `json:"facets" nullable:"false"`
	Searched
}

// Facet is an attribute with its values.
type Facet struct {
	Name   string       `json:"name"`
	Values []FacetValue `json:"values" nullable:"false" doc:"those of most events first"`
	Others int64        `json:"others" doc:"events with values that are not listed"`
	Absent int64        `json:"absent" doc:"events without a value"`
}

// FacetValue is a value with the events that have it, and their users.
type FacetValue struct {
	Value  string `json:"value"`
	Events int64  `json:"events"`
	Users  int64  `json:"users"`
}

// Against lists the values that are far more common in the events that match than in all others.
type Against struct {
	Values []AgainstValue `json:"values" nullable:"false" doc:"the least probable first, then the greatest ratio"`
	Looked int            `json:"looked" doc:"how many values were compared; p is multiplied by it (Bonferroni)"`
	Searched
}

// AgainstValue is a value that is more common here than chance would have it. Events
// are counted once each, whatever they represent.
type AgainstValue struct {
	Name        string  `json:"name"`
	Value       string  `json:"value"`
	Here        int64   `json:"here"`
	HereOf      int64   `json:"here_of"`
	Elsewhere   int64   `json:"elsewhere"`
	ElsewhereOf int64   `json:"elsewhere_of"`
	Ratio       float64 `json:"ratio" doc:"of the share here to the share elsewhere; at most 1,000,000, which also means 'never elsewhere'"`
	P           float64 `json:"p" doc:"Fisher's exact test, one-sided, times the number of values compared"`
}

// Histogram says when events came.
type Histogram struct {
	IntervalS int64    `json:"interval_s"`
	Series    []Series `json:"series" nullable:"false"`
	Searched
}

// Series is how one value went; "" where all are in one.
type Series struct {
	Value  string  `json:"value"`
	Points []Point `json:"points" nullable:"false" doc:"oldest first, without gaps"`
}

// Point is what came from a moment on until the next one.
type Point struct {
	At     time.Time `json:"at"`
	Events int64     `json:"events"`
	Users  int64     `json:"users"`
}

// Somebody is a user with what their events call them.
type Somebody struct {
	Identities map[string][]string `json:"identities" nullable:"false" doc:"by attribute, the newest first"`
	Events     int64               `json:"events"`
	First      time.Time           `json:"first"`
	Last       time.Time           `json:"last"`
}

// UserList is a page of users.
type UserList struct {
	Users []Somebody `json:"users" nullable:"false" doc:"those with most events first"`
	Total int64      `json:"total" doc:"how many fit"`
	Next  string     `json:"next,omitempty" doc:"cursor of the next page; absent on the last"`
	Searched
}

// UserTrail is one user, or the several users that a name may mean.
type UserTrail struct {
	Identities map[string][]string `json:"identities,omitempty" doc:"by attribute, the newest first"`
	Issues     []UserIssue         `json:"issues,omitempty" doc:"their issues, most events first"`
	Events     int64               `json:"events"`
	Sessions   int64               `json:"sessions"`
	First      *time.Time          `json:"first,omitempty"`
	Last       *time.Time          `json:"last,omitempty"`
	Newest     []EventRow          `json:"newest,omitempty" doc:"their newest events"`
	Several    []Somebody          `json:"several,omitempty" doc:"set if several users match; then all other fields are empty"`
	Searched
}

// UserIssue is what of a user's events belongs to an issue.
type UserIssue struct {
	ID       string    `json:"id" doc:"PROJECT/NUMBER"`
	Headline string    `json:"headline"`
	State    string    `json:"state"`
	Events   int64     `json:"events"`
	First    time.Time `json:"first"`
	Last     time.Time `json:"last"`
}

// Completion is what could be written at a place of a search.
type Completion struct {
	From   int     `json:"from" doc:"the start of the replaced text, in characters from 0"`
	To     int     `json:"to"`
	Name   string  `json:"name,omitempty" doc:"the attribute whose values are offered; absent: names are offered"`
	Offers []Offer `json:"offers" nullable:"false"`
}

// Offer is something that could be written.
type Offer struct {
	Text   string `json:"text"`
	Events int64  `json:"events,omitempty" doc:"how many of the newest events have it"`
}

// SavedSearch is a search with a name.
type SavedSearch struct {
	Name    string    `json:"name"`
	Search  string    `json:"search"`
	Shared  bool      `json:"shared" doc:"everybody in the project sees it"`
	Default bool      `json:"default" doc:"lists begin with it"`
	By      string    `json:"by" doc:"who saved it"`
	Changed time.Time `json:"changed"`
	Issues  *int      `json:"issues,omitempty" doc:"how many issues match now, if requested; absent if the search cannot be answered"`
	More    bool      `json:"more,omitempty" doc:"there are more than issues lists"`
}

// SavedSearches are those that one sees.
type SavedSearches struct {
	Searches []SavedSearch `json:"searches" nullable:"false"`
}

// SaveSearch saves a search under a name.
type SaveSearch struct {
	Search  string `json:"search" maxLength:"2000"`
	Shared  bool   `json:"shared,omitempty"`
	Default bool   `json:"default,omitempty"`
}

// SavedNow is a search that was saved, with what of it is not known yet.
type SavedNow struct {
	SavedSearch
	Warnings []string `json:"warnings,omitempty"`
}

// Attributes are the names that are searched of a project.
type Attributes struct {
	Attributes []Attribute `json:"attributes" nullable:"false" doc:"by name"`
	Places     int         `json:"places" doc:"how many custom attributes may be searched; OpenTelemetry's names do not count"`
	Taken      int         `json:"taken"`
}

// Attribute is a name that is searched.
type Attribute struct {
	Name     string    `json:"name"`
	Standard bool      `json:"standard" doc:"a name of OpenTelemetry"`
	Since    time.Time `json:"since"`
	Used     string    `json:"used" doc:"the day of its last use, YYYY-MM-DD"`
	Dropped  bool      `json:"dropped,omitempty" doc:"excluded: it is not searchable"`
}

// ChangeAttribute takes the place of a name away, or gives it back.
type ChangeAttribute struct {
	Name    string `json:"name" maxLength:"200"`
	Dropped bool   `json:"dropped"`
}

// Affected says how many users the events that fit hit.
type Affected struct {
	Events   int64        `json:"events"`
	Users    int64        `json:"users"`
	Active   int64        `json:"active" doc:"users seen at all in the same time, by an event or a session"`
	CameBack int64        `json:"came_back" doc:"affected users who returned: in a later session, or, without known sessions, in an event more than an hour later"`
	Releases []FacetValue `json:"releases" nullable:"false" doc:"those of most affected users first"`
	Searched
}

// Trail is what a user went through, newest first.
type Trail struct {
	Entries []TrailEntry `json:"entries" nullable:"false"`
	Next    string       `json:"next,omitempty" doc:"the cursor of the page before"`
	Searched
}

// TrailEntry is one thing that happened to a user.
type TrailEntry struct {
	At         time.Time   `json:"at"`
	Kind       string      `json:"kind" enum:"session,event,breadcrumb,feedback"`
	Session    *Session    `json:"session,omitempty" doc:"that began then"`
	Event      *EventRow   `json:"event,omitempty"`
	Breadcrumb *Breadcrumb `json:"breadcrumb,omitempty"`
	Before     string      `json:"before,omitempty" doc:"of a breadcrumb: the event that it led up to"`
	Feedback   *Feedback   `json:"feedback,omitempty"`
}
