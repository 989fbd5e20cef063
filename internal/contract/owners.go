package contract

import (
	"time"
)

// Owners are the people who may have an issue.
type Owners struct {
	Issue     string         `json:"issue"`
	Owner     *string        `json:"owner" doc:"the owner; null when it has none"`
	Path      string         `json:"path,omitempty" doc:"of the origin in the repository"`
	Rule      *OwnerRule     `json:"rule,omitempty" doc:"the line of CODEOWNERS that applies"`
	Proposals []Proposal     `json:"proposals" nullable:"false" doc:"the likeliest first"`
	Strangers []string       `json:"strangers" nullable:"false" doc:"named by CODEOWNERS or commits, without an account here"`
	Bad       []BadOwnerLine `json:"bad_lines" nullable:"false" doc:"lines of CODEOWNERS that cannot be used"`
	Text      string         `json:"words,omitempty" doc:"why less is known than could be"`
}

// OwnerRule is a line of CODEOWNERS.
type OwnerRule struct {
	Line    int      `json:"line"`
	Pattern string   `json:"pattern"`
	Owners  []string `json:"owners" nullable:"false"`
}

// BadOwnerLine is a line of CODEOWNERS that cannot be used.
type BadOwnerLine struct {
	Line int    `json:"line"`
	Text string `json:"text"`
	Why  string `json:"why"`
}

// Carriers is who has what.
type Carriers struct {
	Carriers []Carrier `json:"carriers" nullable:"false" doc:"most impact first"`
}

// Carrier is what a person or a team has in a project.
type Carrier struct {
	Person  string    `json:"person"`
	Email   string    `json:"email"`
	Project string    `json:"project"`
	Team    bool      `json:"team,omitempty"`
	Left    bool      `json:"left,omitempty" doc:"does not work here any more: hand it over"`
	Issues  int64     `json:"issues" doc:"open ones"`
	Parked  int64     `json:"parked"`
	Impact  float64   `json:"impact" doc:"the sum over open issues"`
	Oldest  time.Time `json:"oldest" doc:"when the oldest of them was first seen"`
}

// HandOver gives all issues of a person to another one.
type HandOver struct {
	From string `json:"from" minLength:"1" doc:"a person's name or address"`
	To   string `json:"to" minLength:"1"`
	Why  string `json:"why,omitempty" maxLength:"500"`
}

// HandedOver lists what was handed over, by project.
type HandedOver struct {
	Projects []HandedIn `json:"projects" nullable:"false"`
}

// HandedIn counts what was handed over in a project.
type HandedIn struct {
	Project string `json:"project"`
	ManyDone
}

// Proposal is a person who may be the right one, and why.
type Proposal struct {
	Name    string   `json:"name"`
	Score   float64  `json:"score"` // 0 to 100
	Reasons []string `json:"reasons"`
}
