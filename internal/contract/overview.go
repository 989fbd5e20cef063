package contract

// ProjectOverview is how a project stands, in a few figures.
type ProjectOverview struct {
	Project       string       `json:"project"`
	OpenIssues    int64        `json:"open_issues"`
	NewIssues     int64        `json:"new_issues" doc:"without a decision"`
	NewestRelease string       `json:"newest_release,omitempty" doc:"that had any event"`
	Trend         []ProjectDay `json:"trend" nullable:"false" doc:"events of the last 14 days (UTC), oldest first"`
	CameBack      int64        `json:"came_back" doc:"open issues that regressed"`
	EventsWeek    WeekBefore   `json:"events_week" doc:"of the last seven days, and of the seven before"`
	UsersWeek     WeekBefore   `json:"users_week" doc:"with sessions, of the last seven days, and of the seven before"`
	Health        *Health      `json:"health,omitempty" doc:"of the newest release that has sessions; absent where the application sends none"`
	Wrong         []string     `json:"wrong" nullable:"false" doc:"the problem, as a sentence; empty without one"`
}

// WeekBefore is a count of seven days, and of the seven before them.
type WeekBefore struct {
	Now    int64 `json:"now"`
	Before int64 `json:"before"`
}

// Health is how a release does, in short.
type Health struct {
	Release           string  `json:"release"`
	CrashFreeSessions ShareOf `json:"crash_free_sessions"`
	Result            string  `json:"says" doc:"better, worse, no difference, too early; empty without a release before it"`
	Uptake            float64 `json:"uptake" doc:"its share of the sessions of seven days"`
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
