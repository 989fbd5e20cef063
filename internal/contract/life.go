package contract

import "time"

// Fix says in what an issue is fixed.
type Fix struct {
	Kind    string     `json:"kind" enum:"release,next,commit,now"`
	Text    string     `json:"words" doc:"behind 'fixed'"`
	Release string     `json:"release,omitempty" doc:"as fixed_in"`
	After   string     `json:"after,omitempty" doc:"of next: the newest release at the time of the decision"`
	Commit  string     `json:"commit,omitempty"`
	At      *time.Time `json:"at,omitempty" doc:"the time of the decision"`
	By      string     `json:"by,omitempty" doc:"who is notified when it regresses"`
}

// Park says what wakes a parked issue: whichever comes first.
type Park struct {
	Until          time.Time `json:"until,omitzero" doc:"at a time"`
	Events         int64     `json:"events,omitempty" minimum:"0" doc:"after so many more events"`
	Users          int64     `json:"users,omitempty" minimum:"0" doc:"after so many more users"`
	Doubled        bool      `json:"doubled,omitempty" doc:"when a day has twice the usual events"`
	NextRelease    bool      `json:"next_release,omitempty" doc:"when it is seen in a release after the newest of now"`
	NewEnvironment bool      `json:"new_environment,omitempty" doc:"when it is seen in an environment where it was not seen before"`
	Text           string    `json:"words,omitempty" doc:"of an answer: behind 'parked until'"`
}

// ActMany is a decision about many issues: those of a filter, or those named.
type ActMany struct {
	Act
	Verb   string   `json:"verb" enum:"accept,assign,fix,park,reopen,dismiss,count-only,severity"`
	State  []string `json:"state,omitempty" doc:"states of the filter, as the list takes them"`
	Text   string   `json:"text,omitempty" maxLength:"200" doc:"words that must occur in headline, place, message or comments"`
	Search string   `json:"search,omitempty" maxLength:"10000" doc:"a search: docs/search.md"`
	Window string   `json:"window,omitempty" maxLength:"60" doc:"of the search, as lists take it"`
	Issues []Chosen `json:"issues,omitempty" maxItems:"10000" doc:"or these, instead of a filter"`
	Try    bool     `json:"try,omitempty" doc:"say how many it would be, and change nothing"`
	Expect *int     `json:"expect,omitempty" doc:"how many it should be; while it is another number nothing is done"`
}

// Chosen is an issue with the version that who decides has seen.
type Chosen struct {
	Number  int64 `json:"number" minimum:"1"`
	Version int64 `json:"version,omitempty" doc:"0: whichever"`
}

// ManyDone says what became of a decision about many issues.
type ManyDone struct {
	Bulk    int64     `json:"bulk,omitempty" doc:"to undo it by"`
	Fits    int       `json:"fits" doc:"how many it is about"`
	Done    []string  `json:"done" nullable:"false"`
	Refused []Refusal `json:"refused" nullable:"false"`
	Notes   []string  `json:"notes,omitempty" doc:"a hint about the decision"`
}

// Refusal is an issue that was left as it is.
type Refusal struct {
	Issue string `json:"issue"`
	Why   string `json:"why"`
}

// UndoMany takes a decision about many issues back.
type UndoMany struct {
	Bulk int64 `json:"bulk" minimum:"1"`
}

// Deletion says what goes, or went, with an issue.
type Deletion struct {
	Issue      string `json:"issue"`
	Events     int64  `json:"events"`
	Bodies     int64  `json:"bodies"`
	Users      int64  `json:"users"`
	Feedback   int64  `json:"feedback"`
	MergedFrom int64  `json:"merged_from" doc:"numbers that redirect to it"`
	Deleted    bool   `json:"deleted"`
}

// Since is what there is to know about when an issue happened: a time line of
// releases, deploys and decisions, and what its silence means.
type Since struct {
	Days    []TrendDay `json:"days" nullable:"false" doc:"days with events, oldest first, 90 days at most"`
	Marks   []Mark     `json:"marks" nullable:"false" doc:"oldest first"`
	Holding *Holding   `json:"holding,omitempty" doc:"of a fixed issue"`
	Quiet   string     `json:"quiet,omitempty" doc:"of an open issue that stopped by itself"`
}

// Mark is something that happened at a time.
type Mark struct {
	At          time.Time `json:"at"`
	Kind        string    `json:"kind" doc:"release, deploy, first_seen, or the kind of an entry of the history"`
	Text        string    `json:"words"`
	Release     string    `json:"release,omitempty"`
	Environment string    `json:"environment,omitempty"`
	From        string    `json:"from,omitempty" doc:"regressed: the last good release, or the fix"`
}

// Holding says whether a fix holds.
type Holding struct {
	Odds float64 `json:"odds" doc:"0 to 1: how unlikely the silence would be without the fix"`
	Text string  `json:"words"`
}

// Notices are the notices of a person.
type Notices struct {
	Waiting int64    `json:"waiting" doc:"not seen yet"`
	Notices []Notice `json:"notices" nullable:"false" doc:"newest first"`
	Next    int64    `json:"next,omitempty" doc:"before, for the next page"`
}

// Notice is one notice to a person.
type Notice struct {
	ID       int64     `json:"id"`
	At       time.Time `json:"at"`
	Issue    string    `json:"issue"`
	Headline string    `json:"headline"`
	Actor    string    `json:"actor" doc:"empty: the service"`
	Kind     string    `json:"kind"`
	Text     string    `json:"words"`
	Seen     bool      `json:"seen"`
}

// SeenNotices says up to which notice a person has seen them.
type SeenNotices struct {
	UpTo int64 `json:"up_to" minimum:"1"`
}

// WriteComment is a comment, in Markdown.
type WriteComment struct {
	Text string `json:"text" maxLength:"10000" doc:"Markdown; @NAME mentions a person"`
}

// Commented is the comment that was written.
type Commented struct {
	Comment int64 `json:"comment" doc:"its number"`
}
