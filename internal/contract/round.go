package contract

import (
	"time"
)

// Surge says that an issue occurs far more often than it did.
type Surge struct {
	Since time.Time `json:"since"`
	Text  string    `json:"words"`
}

// Round is what of a project needs a decision of the person who asks.
type Round struct {
	Project string      `json:"project,omitempty" doc:"absent: all"`
	Last    *time.Time  `json:"last_round" doc:"when your last round ended; null: this is the first"`
	Begun   *time.Time  `json:"begun,omitempty" doc:"of the round that is under way"`
	AsOf    time.Time   `json:"as_of" doc:"for issues that you pass"`
	Items   []RoundItem `json:"items" nullable:"false" doc:"the largest impact first"`
	Waiting int         `json:"waiting" doc:"how many there are in all, up to 1,000"`
	Settled []Settled   `json:"settled" nullable:"false" doc:"of those named in held: what happened to them"`
}

// RoundItem is an issue that needs a decision, and why.
type RoundItem struct {
	Issue
	Why []Reason `json:"why" nullable:"false" doc:"oldest reason first"`
}

// Reason is why an issue needs a decision.
type Reason struct {
	Kind  string    `json:"kind" doc:"new, regressed, woken, surging, grown or yours: you own it, and another person changed it"`
	Text  string    `json:"words"`
	Actor string    `json:"actor,omitempty" doc:"who changed it"`
	At    time.Time `json:"at"`
}

// Settled is what became of an issue that needs no decision of yours any more.
type Settled struct {
	Issue string    `json:"issue"`
	Actor string    `json:"actor" doc:"empty: the service"`
	Kind  string    `json:"kind"`
	Text  string    `json:"words"`
	At    time.Time `json:"at"`
}

// Pass names issues that a person has seen and leaves as they are.
type Pass struct {
	Issues []string  `json:"issues" minItems:"1" maxItems:"1000" doc:"PROJECT/NUMBER"`
	AsOf   time.Time `json:"as_of,omitzero" doc:"as of when they were seen: as_of of the round; now when absent"`
	Back   bool      `json:"back,omitempty" doc:"true: show them again"`
}

// RoundEnd sums a round up.
type RoundEnd struct {
	Project string      `json:"project,omitempty" doc:"absent: all"`
	Begun   time.Time   `json:"begun"`
	Ended   time.Time   `json:"ended"`
	Seconds int64       `json:"seconds"`
	Done    []RoundDone `json:"done" nullable:"false" doc:"in the order it was done"`
	Left    int         `json:"left" doc:"issues that still need your decision, up to 1,000"`
}

// RoundDone is something that was decided in a round.
type RoundDone struct {
	Issue    string    `json:"issue"`
	Headline string    `json:"headline"`
	At       time.Time `json:"at"`
	Kind     string    `json:"kind"`
	Text     string    `json:"words"`
	Undone   bool      `json:"undone,omitempty"`
}

// Scoring is by what a project's issues are scored, and when they surge.
type Scoring struct {
	Weights map[string]float64 `json:"weights" doc:"the weight of each part, relative to the others"`
	Surge   Thresholds         `json:"surge"`
	Active  int64              `json:"active_users" doc:"in 14 days, as counted last"`
	Counted *time.Time         `json:"counted,omitempty"`
	Newest  string             `json:"newest_release" doc:"the newest release with events; empty if there is none"`
	Stale   int64              `json:"stale" doc:"issues whose score is being updated"`
}

// SetScoring changes it; absent fields stay as they are.
type SetScoring struct {
	Weights map[string]float64 `json:"weights,omitempty"`
	Surge   *SetSurge          `json:"surge,omitempty"`
	Reset   bool               `json:"reset,omitempty" doc:"begin from the defaults"`
}

// SetSurge changes thresholds; absent ones stay as they are.
type SetSurge struct {
	Minutes  *int     `json:"minutes,omitempty" doc:"the minutes compared with the past: 10 to 60, in tens"`
	Events   *int64   `json:"events,omitempty" doc:"at least so many"`
	Users    *int64   `json:"users,omitempty" doc:"of at least so many users, where users are known"`
	Times    *float64 `json:"times,omitempty" doc:"at least so many times the usual rate"`
	Odds     *float64 `json:"odds,omitempty" doc:"and at most this likely by chance"`
	Share    *float64 `json:"share,omitempty" doc:"or it affects this share of the sessions, 0 to 1"`
	Sessions *int64   `json:"sessions,omitempty" doc:"of at least so many"`
}

// ScoringTrial is the list by a project's weights, and by others.
type ScoringTrial struct {
	Weights map[string]float64 `json:"weights" doc:"that were tried"`
	Issues  int                `json:"issues" doc:"open ones that were ranked"`
	Before  []Rank             `json:"before" nullable:"false"`
	After   []Rank             `json:"after" nullable:"false"`
}

// Rank is an issue's place in a list.
type Rank struct {
	Place    int       `json:"place" doc:"from 1"`
	Was      int       `json:"was,omitempty" doc:"its place in the other list; absent: not among its first"`
	Issue    string    `json:"issue"`
	Headline string    `json:"headline"`
	State    string    `json:"state"`
	Impact   float64   `json:"impact"`
	Parts    []Summand `json:"parts" nullable:"false"`
}

// Summand is one part of the sum.
type Summand struct {
	Name   string  `json:"name"`
	Points float64 `json:"points"` // rounded to a tenth
	Max    float64 `json:"most"`   // what this part can give at most, rounded to a tenth
	Text   string  `json:"words"`  // "87 users in 14 days"
}

// Thresholds say from when on an issue surges.
type Thresholds struct {
	Minutes  int     `json:"minutes"`  // what is held against the past: the last hour or less, in tens
	Events   int64   `json:"events"`   // at least so many
	Users    int64   `json:"users"`    // of at least so many users, where users are told
	Times    float64 `json:"times"`    // at least so many times what is usual
	Odds     float64 `json:"odds"`     // and at most this likely by chance
	Share    float64 `json:"share"`    // or it hits this share of the sessions, 0 to 1
	Sessions int64   `json:"sessions"` // of at least so many
}
