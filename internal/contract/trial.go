package contract

// TrialRule is what one rule would have done.
type TrialRule struct {
	Rule      string         `json:"rule"`
	Do        string         `json:"do"`
	Events    int            `json:"events" doc:"it would have decided, or changed"`
	Issues    int            `json:"issues" doc:"that these events belong to"`
	Failed    int            `json:"failed,omitempty" doc:"events that its condition gave an error for"`
	TooCostly int            `json:"too_costly,omitempty" doc:"events that its condition was stopped for"`
	Why       string         `json:"why,omitempty" doc:"the last error"`
	Examples  []TrialExample `json:"examples" nullable:"false"`
}

// TrialExample is one event that a rule would have acted on.
type TrialExample struct {
	Event  string `json:"event"`
	Issue  string `json:"issue"`
	Words  string `json:"words" doc:"the event's headline"`
	Where  string `json:"where,omitempty" doc:"of what would have been scrubbed"`
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
}

// Fault is a fault of a rules file.
type Fault struct {
	Line       int    `json:"line" doc:"counted from 1"`
	Column     int    `json:"column" doc:"in characters, counted from 1"`
	Section    string `json:"section,omitempty"`
	Rule       string `json:"rule,omitempty"`
	Message    string `json:"message"`
	Suggestion string `json:"suggestion,omitempty" doc:"the nearest right word"`
}

// Word is something that conditions can use.
type Word struct {
	Name string `json:"name" doc:"as it is written"`
	Doc  string `json:"doc"`
}

// Outcome is what another way of grouping would do to stored events. Counts
// are of the events that were looked at, each as often as it stands for.
type Outcome struct {
	Events  int64     `json:"events" doc:"that were looked at, each as often as it stands for"`
	Moved   int64     `json:"moved" doc:"of them, those that would be in another issue"`
	Users   int64     `json:"users" doc:"that were hit by events which would move"`
	Issues  int       `json:"issues" doc:"that the events are in"`
	Stay    int       `json:"stay" doc:"of them, those that would have the same events as before"`
	Merges  []Joined  `json:"merges" nullable:"false" doc:"issues that would take in events of others, most events first"`
	Splits  []Parted  `json:"splits" nullable:"false" doc:"issues whose events would be in several, most events first"`
	Rules   []RuleHit `json:"rules" nullable:"false" doc:"the frame and grouping rules, in the order of the file"`
	Version int       `json:"grouping_version" doc:"that was tried"`
	More    int       `json:"more,omitempty" doc:"merges and splits that are not listed"`
}

// Joined is an issue that takes in events of others.
type Joined struct {
	Into Side   `json:"into"`
	From []Side `json:"from" nullable:"false" doc:"most events first"`
}

// Parted is an issue whose events go to several.
type Parted struct {
	From Side   `json:"from"`
	Into []Side `json:"into" nullable:"false" doc:"most events first"`
}

// Side is one issue of a change: one there is, or one that would be made.
type Side struct {
	Number   int64     `json:"number,omitempty" doc:"of the issue; absent for one that would be made"`
	New      int       `json:"new,omitempty" doc:"tells issues apart that would be made"`
	Headline string    `json:"headline"`
	Place    string    `json:"place,omitempty"`
	Events   int64     `json:"events" doc:"of those looked at"`
	Users    int64     `json:"users"`
	Rule     string    `json:"rule,omitempty" doc:"the grouping rule that names the events"`
	Gone     bool      `json:"gone,omitempty" doc:"nothing of it would stay; its number would lead to the other issue"`
	Examples []Example `json:"examples,omitempty"`
}

// Example is one event, before and after.
type Example struct {
	Event   string `json:"event"`
	Message string `json:"message"`
	Origin  string `json:"origin,omitempty" doc:"the frame that is blamed then"`
	Before  []Part `json:"before" nullable:"false" doc:"what its fingerprint is made from now"`
	After   []Part `json:"after" nullable:"false"`
}

// RuleHit is what one rule did in a trial.
type RuleHit struct {
	Section string `json:"section"`
	Rule    string `json:"rule"`
	Events  int64  `json:"events" doc:"that it decided about"`
	Issues  int    `json:"issues" doc:"that these are in"`
	Failed  int64  `json:"failed,omitempty" doc:"events that it failed on"`
	Costly  int64  `json:"too_costly,omitempty" doc:"events that it was stopped for"`
	Empty   int64  `json:"empty,omitempty" doc:"events that lack all that it fills in, so that it did not fit"`
	Why     string `json:"why,omitempty" doc:"the last error"`
}
