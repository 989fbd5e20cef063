package contract

// ProjectOverview is how a project stands, in a few figures.
type ProjectOverview struct {
	Project       string       `json:"project"`
	OpenIssues    int64        `json:"open_issues"`
	NewIssues     int64        `json:"new_issues" doc:"that nobody decided about"`
	NewestRelease string       `json:"newest_release,omitempty" doc:"that anything was seen of"`
	Trend         []ProjectDay `json:"trend" nullable:"false" doc:"events of the last 14 days (UTC), oldest first"`
	Wrong         []string     `json:"wrong" nullable:"false" doc:"what is wrong, in words; empty when nothing is"`
}

// ProjectDay is the events of one day.
type ProjectDay struct {
	Day    string `json:"day" doc:"YYYY-MM-DD"`
	Events int64  `json:"events"`
}

// ProjectOverviews are those of all projects, in the order of their list.
type ProjectOverviews struct {
	Projects []ProjectOverview `json:"projects" nullable:"false"`
}
