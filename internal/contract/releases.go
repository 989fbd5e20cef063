package contract

import "time"

// Release is a release of a project.
type Release struct {
	Version     string     `json:"version"`
	FirstSeen   time.Time  `json:"first_seen" doc:"announced, or its first event thrown, whichever was earlier"`
	FirstKnown  time.Time  `json:"heard_of" doc:"announced, or its first event received, whichever was earlier: what announcement order goes by"`
	Announced   *time.Time `json:"announced,omitempty" doc:"by a build"`
	AnnouncedBy string     `json:"announced_by,omitempty"`
	Commit      string     `json:"commit,omitempty"`
	CommitKnown bool       `json:"commit_known,omitempty" doc:"its history was sent"`
	Events      int64      `json:"events"`
	Issues      int64      `json:"issues" doc:"that were seen in it"`
	New         int64      `json:"new" doc:"issues first seen in it"`
	Deploys     []Deploy   `json:"deploys" nullable:"false" doc:"oldest first"`
}

// Deploy is a release brought to an environment.
type Deploy struct {
	Environment string    `json:"environment"`
	At          time.Time `json:"at"`
	By          string    `json:"by"`
}

// Releases lists the releases of a project.
type Releases struct {
	Project  string    `json:"project"`
	Order    string    `json:"order" enum:"auto,commits,versions,announcement" doc:"the order of the project's releases"`
	Releases []Release `json:"releases" nullable:"false" doc:"newest first"`
}

// ReleaseDetail is all about one release.
type ReleaseDetail struct {
	Project string `json:"project"`
	Release
	Before       string       `json:"before,omitempty" doc:"the release before it, in the project's order"`
	BeforeWhy    string       `json:"before_why,omitempty" doc:"why that release is before it"`
	NewIssues    []Issue      `json:"new_issues" nullable:"false" doc:"first seen in it, highest impact first"`
	Regressed    []Issue      `json:"regressed" nullable:"false" doc:"that regressed in it"`
	Fixed        []Issue      `json:"fixed" nullable:"false" doc:"marked as fixed in it"`
	Sessions     SessionCount `json:"sessions" doc:"of the last 30 days"`
	BeforeEvents int64        `json:"before_events" doc:"of the release before it"`
	Commits      []Commit     `json:"commits" nullable:"false" doc:"since the release before it, newest first, 200 at most"`
	CommitCount  int          `json:"commit_count" doc:"of them in all"`
	Repository   string       `json:"repository" doc:"a sentence about missing commits; empty where none is missing"`
}

// AnnounceRelease says that a build made a release.
type AnnounceRelease struct {
	Version string `json:"version" minLength:"1" maxLength:"250"`
	Commit  string `json:"commit,omitempty" maxLength:"64" doc:"its hash"`
}

// MarkDeployed says that a release was deployed.
type MarkDeployed struct {
	Environment string    `json:"environment" minLength:"1" maxLength:"250"`
	At          time.Time `json:"at,omitzero" doc:"absent: now"`
}

// ReleaseOrder is how two releases stand to each other.
type ReleaseOrder struct {
	A     string `json:"a"`
	B     string `json:"b"`
	Order string `json:"order" enum:"before,after,same,unknown" doc:"how a compares with b"`
	By    string `json:"by" enum:"same,commit,version,announcement,nothing" doc:"the reason"`
	Why   string `json:"why"`
}
