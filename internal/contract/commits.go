package contract

import "time"

// Commit is a commit of a project's repository.
type Commit struct {
	Hash      string    `json:"hash"`
	Author    string    `json:"author"`
	Email     string    `json:"email"`
	Authored  time.Time `json:"authored"`
	Committed time.Time `json:"committed"`
	Subject   string    `json:"subject"`
	Files     int       `json:"files"`
	Added     int       `json:"added" doc:"lines"`
	Removed   int       `json:"removed"`
	Link      string    `json:"link,omitempty" doc:"where it can be read"`
}

// Repository describes what the service knows about a project's code.
type Repository struct {
	Project     string    `json:"project"`
	Commits     int64     `json:"commits"`
	Bytes       int64     `json:"bytes" doc:"of the bundles that were sent"`
	Tips        []string  `json:"tips" nullable:"false" doc:"the newest known commits of its branches, last received first"`
	Address     string    `json:"address,omitempty" doc:"that it may be fetched from"`
	CommitLink  string    `json:"commit_link,omitempty"`
	SourcePaths []Mapping `json:"source_paths" nullable:"false"`
}

// Mapping says that source paths that begin with From stand under To in the repository.
type Mapping struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// BundleTaken says what came of a bundle.
type BundleTaken struct {
	Tip     string   `json:"tip"`
	Commits int      `json:"commits" doc:"that are new"`
	Notices []string `json:"told" nullable:"false" doc:"issues that commit messages fixed or closed, or why not"`
}

// LikelyChanges are the commits that may have brought an issue.
type LikelyChanges struct {
	Issue   string         `json:"issue"`
	Release string         `json:"release,omitempty" doc:"in which it was first seen, or regressed"`
	Before  string         `json:"before,omitempty" doc:"the last release without it"`
	From    string         `json:"from,omitempty" doc:"the commit of that release"`
	To      string         `json:"to,omitempty"`
	Range   int            `json:"range" doc:"commits in between"`
	Places  []SourcePlace  `json:"places" nullable:"false" doc:"the own frames of the trace, the origin first"`
	Changes []LikelyChange `json:"changes" nullable:"false" doc:"the likeliest first"`
	Line    *LineChange    `json:"line,omitempty" doc:"who changed the origin's line last"`
	Onset   *Onset         `json:"onset,omitempty" doc:"set if it began long after its release"`
	Text    string         `json:"words" doc:"what was compared, or why nothing was"`
}

// SourcePlace is a frame, and its place in the repository.
type SourcePlace struct {
	Source string `json:"source"`
	Line   int    `json:"line"`
	Path   string `json:"path,omitempty" doc:"absent: not found"`
	How    string `json:"how"`
}

// LikelyChange is a commit that may have brought an issue.
type LikelyChange struct {
	Commit
	Score   float64  `json:"score" doc:"0 to 100"`
	Reasons []string `json:"reasons" nullable:"false"`
}

// LineChange is the commit that changed a line last.
type LineChange struct {
	Commit   string    `json:"commit"`
	Author   string    `json:"author"`
	Email    string    `json:"email"`
	Authored time.Time `json:"authored"`
	Subject  string    `json:"subject"`
	Path     string    `json:"path"`
	Line     int       `json:"line"`
	Text     string    `json:"text"`
	Link     string    `json:"link,omitempty"`
}

// LineAsked says who changed a line of a trace last.
type LineAsked struct {
	Place SourcePlace `json:"place"`
	Line  *LineChange `json:"line,omitempty" doc:"absent where it is unknown"`
	Text  string      `json:"words" doc:"why it is unknown; empty where it is known"`
}

// Onset is when an issue began inside a release that was out for long, and what
// was deployed around then.
type Onset struct {
	At      time.Time `json:"at"`
	Text    string    `json:"words"`
	Deploys []Mark    `json:"deploys" nullable:"false" doc:"the nearest before it, newest first"`
}
