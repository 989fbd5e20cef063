package contract

// Finding is something to mend, with a rule that may.
type Finding struct {
	Kind    string  `json:"kind" enum:"pieces,mixed,noise"`
	Text    string  `json:"words" doc:"the finding, as a sentence"`
	Why     string  `json:"why" doc:"the evidence"`
	Issues  []Named `json:"issues" nullable:"false" doc:"most events first"`
	More    int     `json:"more,omitempty" doc:"issues that are not listed"`
	Events  int64   `json:"events"`
	Users   int64   `json:"users" doc:"added up over the issues"`
	Section string  `json:"section" doc:"of the rules file, for the suggestion; empty where it suggests another grouping version"`
	Rule    string  `json:"rule,omitempty" doc:"the suggested rule, YAML"`
	Does    string  `json:"does" doc:"what the suggestion does"`
	Version int     `json:"grouping_version,omitempty" doc:"the grouping version that would fix it"`
}

// Named is an issue in a finding.
type Named struct {
	Number   int64  `json:"number"`
	Headline string `json:"headline"`
	Events   int64  `json:"events"`
	Users    int64  `json:"users"`
}
