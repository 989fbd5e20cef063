package contract

import (
	"time"
)

// Rules is a version of a project's rules file.
type Rules struct {
	Project string     `json:"project"`
	Version int        `json:"version" doc:"0: none was pushed yet"`
	At      *time.Time `json:"at,omitempty"`
	By      string     `json:"by,omitempty" doc:"who pushed it"`
	Note    string     `json:"note,omitempty" doc:"what changed"`
	Text    string     `json:"text" doc:"YAML"`
	Off     []RuleOff  `json:"off" nullable:"false" doc:"rules that were switched off because they cost too much"`
}

// RulesWords is what rules can use.
type RulesWords struct {
	Conditions []Word   `json:"conditions" nullable:"false"`
	Kinds      []string `json:"kinds" nullable:"false" doc:"kinds of secret"`
}

// RuleOff is a rule that was switched off.
type RuleOff struct {
	Section string    `json:"section"`
	Rule    string    `json:"rule"`
	At      time.Time `json:"at"`
	Why     string    `json:"why"`
}

// RulesHistory lists the versions of a rules file, newest first.
type RulesHistory struct {
	Versions []RulesVersion `json:"versions" nullable:"false"`
}

// RulesVersion is one of them.
type RulesVersion struct {
	Version int       `json:"version"`
	At      time.Time `json:"at"`
	By      string    `json:"by"`
	Note    string    `json:"note,omitempty"`
}

// PushRules puts a rules file in the place of the one there is.
type PushRules struct {
	Text string `json:"text" maxLength:"262144"`
	Note string `json:"note,omitempty" maxLength:"300"`
	Onto *int   `json:"onto,omitempty" minimum:"0" doc:"the version it was edited from; refused if another version came in between"`
}

// CheckRules asks about a rules file.
type CheckRules struct {
	Text string `json:"text" maxLength:"262144"`
}

// RulesChecked lists the problems of a rules file.
type RulesChecked struct {
	Good     bool          `json:"good"`
	Problems []RuleProblem `json:"problems" nullable:"false"`
}

// TryRules asks what a rules file, or another grouping version, would have done.
type TryRules struct {
	Text            *string `json:"text,omitempty" maxLength:"262144" doc:"absent: the project's own rules"`
	GroupingVersion int     `json:"grouping_version,omitempty" minimum:"0" doc:"0: the project's own"`
	Days            int     `json:"days,omitempty" minimum:"1" maximum:"90" default:"7" doc:"how far back"`
	Events          int     `json:"events,omitempty" minimum:"1" maximum:"1000000" default:"2000" doc:"how many stored events are checked, newest first"`
}

// RulesTried is what a rules file would have done to stored events.
type RulesTried struct {
	Events   int         `json:"events" doc:"that were checked"`
	Kept     int         `json:"kept" doc:"of them, those that would be accepted"`
	Intake   []TrialRule `json:"intake" nullable:"false" doc:"in the order of the file"`
	Scrub    []TrialRule `json:"scrub" nullable:"false" doc:"rules in the order of the file, then kinds that would find more than they did"`
	Alerts   []TrialRule `json:"alerts" nullable:"false" doc:"messages that alert rules would have sent: events is their number"`
	Grouping Outcome     `json:"grouping" doc:"what would happen to issues if stored events were regrouped"`
	Failed   int64       `json:"failed" doc:"events for which a grouping rule failed or was stopped"`
	From     time.Time   `json:"from" doc:"the oldest event that was checked"`
	All      int64       `json:"all" doc:"events stored since then; most events of a frequent issue have no stored body"`
}

// TrialProgress says how far a trial is.
type TrialProgress struct {
	Looked int `json:"looked" doc:"events that were checked"`
	Of     int `json:"of" doc:"events to check"`
}

// Received is what came in and what became of it.
type Received struct {
	Project   string          `json:"project"`
	From      time.Time       `json:"from"`
	To        time.Time       `json:"to"`
	Sum       ReceivedCounts  `json:"sum"`
	Hours     []ReceivedHour  `json:"hours" nullable:"false" doc:"oldest first; hours without events are missing"`
	Causes    []ReceivedCause `json:"causes" nullable:"false" doc:"most events first"`
	Allowance Allowance       `json:"allowance"`
	RulesOff  []RuleOff       `json:"rules_off" nullable:"false"`
}

// ReceivedCounts are events by what became of them.
type ReceivedCounts struct {
	Stored        int64 `json:"stored" doc:"processed as new events"`
	Repeats       int64 `json:"repeats" doc:"sent again, processed before"`
	Joined        int64 `json:"joined" doc:"joined to an event that another report of the same exception made"`
	Dropped       int64 `json:"dropped" doc:"by a rule of the project"`
	OverAllowance int64 `json:"over_allowance" doc:"rejected; senders retry"`
	Rejected      int64 `json:"turned_away" doc:"requests rejected because the service was full; senders retry"`
	Refused       int64 `json:"refused" doc:"not readable, or not allowed"`
	Failed        int64 `json:"set_aside" doc:"stored, but failed to be processed"`
	LostByClient  int64 `json:"lost_by_client" doc:"as clients say"`
	Cut           int64 `json:"cut" doc:"of those stored: something was over a limit"`
	Scrubbed      int64 `json:"scrubbed" doc:"of those stored: something was scrubbed, counted once a rule"`
	Sessions      int64 `json:"sessions" doc:"messages about sessions"`
	Feedback      int64 `json:"feedback" doc:"entries of feedback"`
	Capped        int64 `json:"capped" doc:"of those stored: they would have created more new things than an hour allows"`
}

// ReceivedHour is one hour.
type ReceivedHour struct {
	Hour time.Time `json:"hour"`
	ReceivedCounts
}

// ReceivedCause is what one cause, by one rule, did.
type ReceivedCause struct {
	Cause    string            `json:"cause"`
	Rule     string            `json:"rule,omitempty"`
	Text     string            `json:"words" doc:"the meaning"`
	Events   int64             `json:"events"`
	Examples []ReceivedExample `json:"examples" nullable:"false" doc:"newest first"`
}

// ReceivedExample is one event in words.
type ReceivedExample struct {
	At   time.Time `json:"at"`
	Text string    `json:"words"`
}
