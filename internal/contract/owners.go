package contract

import "firethorn/internal/core/owners"

// Owners are the people who may have an issue.
type Owners struct {
	Issue     string            `json:"issue"`
	Owner     *string           `json:"owner" doc:"who has it; null when nobody has it"`
	Path      string            `json:"path,omitempty" doc:"of the origin in the repository"`
	Rule      *OwnerRule        `json:"rule,omitempty" doc:"the line of CODEOWNERS that counts for it"`
	Proposals []owners.Proposal `json:"proposals" nullable:"false" doc:"the likeliest first"`
	Strangers []string          `json:"strangers" nullable:"false" doc:"named by CODEOWNERS or commits, and nobody here is"`
	Bad       []BadOwnerLine    `json:"bad_lines" nullable:"false" doc:"lines of CODEOWNERS that cannot be used"`
	Words     string            `json:"words,omitempty" doc:"why less is known than could be"`
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
