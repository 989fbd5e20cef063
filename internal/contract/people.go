package contract

import (
	"time"
)

// Person is someone who works here.
type Person struct {
	Name       string     `json:"name"`
	Email      string     `json:"email"`
	Admin      bool       `json:"admin"`
	Created    time.Time  `json:"created"`
	Left       *time.Time `json:"left,omitempty" doc:"since when they do not work here any more"`
	Carries    int64      `json:"carries,omitempty" doc:"of who left: open and parked issues that are still theirs"`
	SignInLink string     `json:"sign_in_link,omitempty" doc:"works once, within 24 hours"`
}

// People is a list of people.
type People struct {
	People []Person `json:"people" nullable:"false"`
	Teams  []Team   `json:"teams" nullable:"false"`
}

// Team is people who have issues together.
type Team struct {
	Name    string   `json:"name"`
	Handle  string   `json:"handle" doc:"how CODEOWNERS, rules and comments name it"`
	Members []string `json:"members" nullable:"false"`
}

// Teams is a list of teams.
type Teams struct {
	Teams []Team `json:"teams" nullable:"false"`
}

// NewTeam makes a team.
type NewTeam struct {
	Name    string   `json:"name" minLength:"1" maxLength:"100"`
	Members []string `json:"members,omitempty" maxItems:"200" doc:"names or addresses"`
}

// ChangeTeam lets people in and out.
type ChangeTeam struct {
	Add    []string `json:"add,omitempty" maxItems:"200"`
	Remove []string `json:"remove,omitempty" maxItems:"200"`
}

// NewPerson adds someone.
type NewPerson struct {
	Name  string `json:"name" minLength:"1" maxLength:"100"`
	Email string `json:"email" minLength:"3" maxLength:"200"`
	Admin bool   `json:"admin,omitempty"`
}

// Me is who asks.
type Me struct {
	Name  string `json:"name" doc:"a person's name, or a token's label"`
	Email string `json:"email,omitempty"`
	Scope string `json:"scope" enum:"build,read,person,admin"`
}

// NewToken asks for a token.
type NewToken struct {
	Label   string `json:"label" minLength:"1" maxLength:"100"`
	Scope   string `json:"scope" enum:"build,read,person,admin"`
	Project string `json:"project,omitempty" doc:"the only project it is good for; empty: all"`
	Person  string `json:"person,omitempty" doc:"whose name stands in the history"`
	Days    int    `json:"days,omitempty" minimum:"0" maximum:"3660" doc:"how long it lives; 0: 90 days"`
	Never   bool   `json:"never,omitempty" doc:"it never runs out"`
	// Permissions are given beside those of the scope.
	Permissions []string `json:"permissions,omitempty" doc:"beside those of the scope: symbols:push, releases:announce, rules:check, rules:push, issues:read, issues:triage, events:read"`
}

// TokenInfo is a token without its text.
type TokenInfo struct {
	ID          int64      `json:"id"`
	Label       string     `json:"label"`
	Scope       string     `json:"scope"`
	Permissions []string   `json:"permissions"`
	Project     string     `json:"project,omitempty" doc:"the only project it is good for; empty: all"`
	Person      string     `json:"person,omitempty" doc:"whose name stands in the history"`
	Created     time.Time  `json:"created"`
	Expires     *time.Time `json:"expires,omitempty" doc:"absent: never"`
	LastUsed    *time.Time `json:"last_used,omitempty" doc:"to the minute; absent: not yet"`
	Warning     string     `json:"warning,omitempty" doc:"what is risky about it"`
}

// Tokens lists tokens.
type Tokens struct {
	Tokens []TokenInfo `json:"tokens"`
}

// SignedOut says what ended.
type SignedOut struct {
	Name     string `json:"name"`
	Sessions int64  `json:"sessions" doc:"how many ended"`
}

// Token is a new token; its text is shown once.
type Token struct {
	ID      int64      `json:"id"`
	Label   string     `json:"label"`
	Scope   string     `json:"scope"`
	Token   string     `json:"token"`
	Expires *time.Time `json:"expires,omitempty" doc:"absent: never"`
}
