package contract

// TrialRule is what one rule would have done.
type TrialRule struct {
	Rule      string         `json:"rule"`
	Do        string         `json:"do"`
	Events    int            `json:"events" doc:"it would have decided, or changed"`
	Issues    int            `json:"issues" doc:"that these events belong to"`
	Failed    int            `json:"failed,omitempty" doc:"events for which its condition failed"`
	TooCostly int            `json:"too_costly,omitempty" doc:"events for which its condition was stopped"`
	Why       string         `json:"why,omitempty" doc:"the last error"`
	Examples  []TrialExample `json:"examples" nullable:"false"`
}

// TrialExample is one event that a rule would have acted on.
type TrialExample struct {
	Event  string `json:"event"`
	Issue  string `json:"issue"`
	Text   string `json:"words" doc:"the event's headline"`
	Where  string `json:"where,omitempty" doc:"of values that would have been scrubbed"`
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
}

// RuleProblem is an error in a rules file.
type RuleProblem struct {
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
// are of the events that were read, each as often as it counts.
type Outcome struct {
	Events  int64     `json:"events" doc:"that were checked, each as often as it counts"`
	Moved   int64     `json:"moved" doc:"of them, those that would be in another issue"`
	Users   int64     `json:"users" doc:"affected by events that would move"`
	Issues  int       `json:"issues" doc:"that the events are in"`
	Stay    int       `json:"stay" doc:"of them, those that would have the same events as before"`
	Merges  []Joined  `json:"merges" nullable:"false" doc:"issues that would get events of others, most events first"`
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
	New      int       `json:"new,omitempty" doc:"number of the issue that would be created"`
	Headline string    `json:"headline"`
	Place    string    `json:"place,omitempty"`
	Events   int64     `json:"events" doc:"of those checked"`
	Users    int64     `json:"users"`
	Rule     string    `json:"rule,omitempty" doc:"the grouping rule that names the events"`
	Gone     bool      `json:"gone,omitempty" doc:"no event would stay; its number would redirect to the other issue"`
	Examples []Example `json:"examples,omitempty"`
}

// Example is one event, before and after.
type Example struct {
	Event   string `json:"event"`
	Message string `json:"message"`
	Origin  string `json:"origin,omitempty" doc:"the frame that is blamed then"`
	Before  []Part `json:"before" nullable:"false" doc:"the parts of its current fingerprint"`
	After   []Part `json:"after" nullable:"false"`
}

// RuleHit is what one rule did in a trial.
type RuleHit struct {
	Section string `json:"section"`
	Rule    string `json:"rule"`
	Events  int64  `json:"events" doc:"that it decided about"`
	Issues  int    `json:"issues" doc:"that these are in"`
	Failed  int64  `json:"failed,omitempty" doc:"events for which it failed"`
	Costly  int64  `json:"too_costly,omitempty" doc:"events for which it was stopped"`
	Empty   int64  `json:"empty,omitempty" doc:"events that lack all its values, so that it did not apply"`
	Why     string `json:"why,omitempty" doc:"the last error"`
}
