package contract

import (
	"time"
)

// Grouping is how a project's events are grouped, and how stored ones were regrouped.
type Grouping struct {
	Project     string            `json:"project"`
	Version     int               `json:"grouping_version" doc:"for new events"`
	Wanted      int               `json:"wanted,omitempty" doc:"the grouping version being adopted"`
	Rules       int               `json:"rules_version" doc:"of the rules file; 0: none"`
	Versions    []GroupingVersion `json:"versions" nullable:"false" doc:"known to this service, oldest first"`
	Regroupings []Regrouping      `json:"regroupings" nullable:"false" doc:"newest first"`
}

// GroupingVersion is a version of the algorithm.
type GroupingVersion struct {
	Version int    `json:"version"`
	Text    string `json:"words" doc:"the new events or users"`
}

// Regrouping is stored events grouped again.
type Regrouping struct {
	ID       int64      `json:"id"`
	At       time.Time  `json:"at"`
	By       string     `json:"by"`
	State    string     `json:"state" enum:"reading,moving,done,undoing,undone,stopped"`
	Rules    int        `json:"rules_version" doc:"of the rules file that it groups by"`
	Version  int        `json:"grouping_version"`
	Read     int        `json:"read" doc:"variants that were read"`
	Of       int        `json:"of" doc:"variants to read"`
	Bodies   int64      `json:"bodies" doc:"kept events that were read"`
	Events   int64      `json:"events" doc:"that went to another issue"`
	Stays    int64      `json:"stays" doc:"events without a body that stayed, though others like them moved: it is unknown which of them the rules match"`
	Made     int        `json:"made" doc:"created issues"`
	Emptied  int        `json:"emptied" doc:"issues whose number now redirects to another one"`
	Ended    *time.Time `json:"ended,omitempty"`
	UndoneBy string     `json:"undone_by,omitempty"`
	Why      string     `json:"why,omitempty" doc:"it was stopped"`
}

// AdoptGrouping asks for another grouping version.
type AdoptGrouping struct {
	Version int `json:"grouping_version" minimum:"1"`
}

// GroupingReview lists the places where grouping is bad, with remedies.
type GroupingReview struct {
	Project     string           `json:"project"`
	Findings    []Finding        `json:"findings" nullable:"false" doc:"most events first, within pieces, mixed, noise"`
	Issues      int              `json:"issues" doc:"that were checked"`
	Causes      int              `json:"causes" doc:"the causes that they look like"`
	Mixed       int              `json:"mixed" doc:"issues that look like several causes"`
	Variability float64          `json:"variability" doc:"percent of the issues that look wrongly grouped: extra issues of a cause, and issues with several causes"`
	Version     int              `json:"grouping_version"`
	Days        []VariabilityDay `json:"days" nullable:"false" doc:"how variable grouping was, oldest first"`
	Followed    int              `json:"followed" doc:"new issues of the last 30 days recognised as known ones whose function moved to another file"`
	Making      int64            `json:"making" doc:"variants that are not compared yet"`
}

// VariabilityDay is how variable grouping was on a day.
type VariabilityDay struct {
	Day         string  `json:"day" doc:"YYYY-MM-DD, UTC"`
	Issues      int     `json:"issues" doc:"that were seen"`
	Causes      int     `json:"causes" doc:"the causes that they look like"`
	Mixed       int     `json:"mixed" doc:"that look like several causes"`
	Variability float64 `json:"variability"`
}

// Suggested is a rules file with a suggestion in it.
type Suggested struct {
	Text    string `json:"text" doc:"the project's rules with the suggested rule first in its section"`
	Version int    `json:"grouping_version,omitempty" doc:"the suggestion is this grouping version instead"`
}

// Beside is what an issue's page shows beside it.
type Beside struct {
	Issue        string         `json:"issue"`
	Environments []Seen         `json:"environments" nullable:"false" doc:"where its fingerprint was seen"`
	Elsewhere    []BesideIssue  `json:"elsewhere" nullable:"false" doc:"issues of other projects with the same fingerprint"`
	Similar      []SimilarIssue `json:"similar" nullable:"false" doc:"the most alike first"`
}

// BesideIssue is an issue beside another one.
type BesideIssue struct {
	ID       string `json:"id"`
	Headline string `json:"headline"`
	State    string `json:"state"`
	Events   int64  `json:"events"`
	Users    int64  `json:"users"`
}

// SimilarIssue is an issue that is like another one.
type SimilarIssue struct {
	BesideIssue
	Place   string   `json:"place"`
	FixedIn string   `json:"fixed_in,omitempty"`
	Owner   *string  `json:"owner"`
	Score   float64  `json:"score" doc:"0 to 1"`
	Alike   []string `json:"alike" nullable:"false" doc:"what both have in common"`
	Status  string   `json:"standing" doc:"the decision, as a sentence"`
}

// Together are the issues that happen together with an issue.
type Together struct {
	Issue string      `json:"issue"`
	Near  []NearIssue `json:"near" nullable:"false" doc:"most often first"`
}

// NearIssue happens together with an issue.
type NearIssue struct {
	ID       string  `json:"id"`
	Headline string  `json:"headline"`
	With     int     `json:"with" doc:"occurrences of the issue within a minute of it"`
	Of       int     `json:"of" doc:"occurrences that were compared"`
	ByChance float64 `json:"by_chance" doc:"how many it would be near to by chance"`
	By       string  `json:"by" enum:"trace,session,user" doc:"what they share"`
	Gap      float64 `json:"gap" doc:"seconds from the issue to it, the middle one; negative: it comes before"`
}
