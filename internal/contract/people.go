package contract

import (
	"time"
)

// Person is someone who works here.
type Person struct {
	Name       string     `json:"name"`
	Email      string     `json:"email"`
	Admin      bool       `json:"admin" doc:"the same as operator"`
	Operator   bool       `json:"operator" doc:"runs the service: people, projects, the audit, the queue"`
	Everywhere string     `json:"everywhere,omitempty" enum:"viewer,member,maintainer" doc:"their own role in all projects"`
	Roles      []RoleIn   `json:"roles,omitempty" nullable:"false" doc:"their roles in single projects that you see: the first ones"`
	MoreRoles  int        `json:"more_roles,omitempty" doc:"how many more there are"`
	Created    time.Time  `json:"created"`
	Left       *time.Time `json:"left,omitempty" doc:"since when they do not work here any more"`
	Carries    int64      `json:"carries,omitempty" doc:"of a former member: open and parked issues that they still own"`
	SignInLink string     `json:"sign_in_link,omitempty" doc:"works once, within 24 hours"`
}

// RoleIn is a person's role in a project.
type RoleIn struct {
	Project string `json:"project"`
	Role    string `json:"role" enum:"viewer,member,maintainer"`
}

// Member is a person or a team with a role in a project.
type Member struct {
	Name       string `json:"name"`
	Email      string `json:"email,omitempty"`
	Team       bool   `json:"team,omitempty"`
	Role       string `json:"role" enum:"viewer,member,maintainer"`
	Everywhere bool   `json:"everywhere,omitempty" doc:"by a role in all projects, which only operators may change"`
	Through    string `json:"through,omitempty" doc:"the team that gives it; absent: the person's own role"`
}

// Members lists who has which role in a project.
type Members struct {
	Project string   `json:"project"`
	Members []Member `json:"members" nullable:"false"`
}

// SetMember gives a role in a project, or takes it away.
type SetMember struct {
	Who    string `json:"who" minLength:"1" maxLength:"200" doc:"a name or an address; of a team its name or handle"`
	Role   string `json:"role" enum:"viewer,member,maintainer,none"`
	Reason string `json:"reason,omitempty" maxLength:"500" doc:"a reason for the audit; required if operators give themselves a role"`
}

// SetRole gives a role in all projects, or takes it away.
type SetRole struct {
	Role   string `json:"role" enum:"viewer,member,maintainer,none"`
	Reason string `json:"reason,omitempty" maxLength:"500" doc:"a reason for the audit; required if operators give themselves a role"`
}

// SetOperator makes a person an operator, or revokes that.
type SetOperator struct {
	Operator bool `json:"operator"`
}

// MergePeople names the person that another one is merged into.
type MergePeople struct {
	Into string `json:"into" minLength:"1" maxLength:"200" doc:"a name or an address"`
}

// Merged is a person who had two accounts.
type Merged struct {
	From     string     `json:"from"`
	Into     string     `json:"into"`
	Projects []HandedIn `json:"projects" nullable:"false" doc:"the reassigned issues"`
}

// SignIn is a browser that a person is signed in with.
type SignIn struct {
	ID       int64     `json:"id"`
	Opened   time.Time `json:"opened"`
	LastUsed time.Time `json:"last_used" doc:"to the minute"`
	RunsOut  time.Time `json:"runs_out" doc:"unless it is used before"`
	Address  string    `json:"address,omitempty" doc:"it was last used from"`
	Agent    string    `json:"agent,omitempty" doc:"the browser, as it names itself"`
	This     bool      `json:"this,omitempty" doc:"the caller"`
}

// SignIns lists sessions.
type SignIns struct {
	Sessions []SignIn `json:"sessions" nullable:"false"`
}

// People is a list of people.
type People struct {
	People []Person `json:"people" nullable:"false"`
	Teams  []Team   `json:"teams" nullable:"false"`
}

// Team is people who have issues together.
type Team struct {
	Name string `json:"name"`
	// Roles are those that all members have by the team.
	Everywhere string   `json:"everywhere,omitempty" enum:"viewer,member,maintainer"`
	Roles      []RoleIn `json:"roles,omitempty" nullable:"false"`
	MoreRoles  int      `json:"more_roles,omitempty"`
	Handle     string   `json:"handle" doc:"how CODEOWNERS, rules and comments name it"`
	Members    []string `json:"members" nullable:"false"`
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
	Name     string `json:"name" minLength:"1" maxLength:"100"`
	Email    string `json:"email" minLength:"3" maxLength:"200"`
	Admin    bool   `json:"admin,omitempty" doc:"the same as operator"`
	Operator bool   `json:"operator,omitempty"`
	Role     string `json:"role,omitempty" enum:"viewer,member,maintainer" doc:"in the project, or in all where none is named"`
	Project  string `json:"project,omitempty"`
}

// Me is who asks.
type Me struct {
	Name       string            `json:"name" doc:"a person's name, or a token's label"`
	Email      string            `json:"email,omitempty"`
	Scope      string            `json:"scope" enum:"build,read,person,service,admin"`
	Operator   bool              `json:"operator"`
	Everywhere string            `json:"everywhere,omitempty" enum:"viewer,member,maintainer" doc:"your role in all projects"`
	Roles      map[string]string `json:"roles" doc:"your role in single projects, by yourself or by a team"`
	FreshUntil *time.Time        `json:"fresh_until,omitempty" doc:"of a browser: until when the sign-in is fresh enough for what cannot be undone"`
}

// NewToken asks for a token.
type NewToken struct {
	Label    string   `json:"label" minLength:"1" maxLength:"100"`
	Scope    string   `json:"scope" enum:"build,read,person,service,admin" doc:"the kind, with its default permissions; service: only the named ones; admin: all"`
	Project  string   `json:"project,omitempty" doc:"the only project it is good for; empty: all"`
	Projects []string `json:"projects,omitempty" maxItems:"500" doc:"the only projects it is good for; empty: all"`
	Person   string   `json:"person,omitempty" doc:"the person whose permissions it has"`
	Days     int      `json:"days,omitempty" minimum:"0" maximum:"3660" doc:"how long it lives; 0: 90 days"`
	Never    bool     `json:"never,omitempty" doc:"it never runs out"`
	// Permissions are given beside those of the scope.
	Permissions []string `json:"permissions,omitempty" doc:"in addition to those of the scope: symbols:push, releases:announce, rules:check, rules:push, issues:read, issues:triage, events:read, export"`
}

// TokenInfo is a token without its text.
type TokenInfo struct {
	ID           int64      `json:"id"`
	Label        string     `json:"label"`
	Scope        string     `json:"scope"`
	Kind         string     `json:"kind" enum:"build,read,person,service"`
	Permissions  []string   `json:"permissions" nullable:"false"`
	Project      string     `json:"project,omitempty" doc:"the only project it is good for; empty: all, or several"`
	Projects     []string   `json:"projects,omitempty" doc:"the only projects it is good for; absent: all"`
	Person       string     `json:"person,omitempty" doc:"whose it is"`
	Maker        string     `json:"maker,omitempty" doc:"who made it"`
	Created      time.Time  `json:"created"`
	Expires      *time.Time `json:"expires,omitempty" doc:"absent: never"`
	LastUsed     *time.Time `json:"last_used,omitempty" doc:"to the minute; absent: not yet"`
	LastAddress  string     `json:"last_address,omitempty" doc:"it was last used from"`
	BeforeRoles  bool       `json:"before_roles,omitempty" doc:"older than roles: it keeps its former permissions until it is rotated"`
	OldGoodUntil *time.Time `json:"old_good_until,omitempty" doc:"until when the text before a rotation is good"`
	Warning      string     `json:"warning,omitempty" doc:"its risk"`
}

// Tokens lists tokens.
type Tokens struct {
	Tokens []TokenInfo `json:"tokens" nullable:"false"`
}

// SignedOut says what ended.
type SignedOut struct {
	Name     string `json:"name"`
	Sessions int64  `json:"sessions" doc:"how many ended"`
}

// RotateToken says how long the text before stays good.
type RotateToken struct {
	OverlapHours *int `json:"overlap_hours,omitempty" minimum:"0" maximum:"720" doc:"default: 24; 0: it ends at once"`
}

// Token is a new token; its text is shown once.
type Token struct {
	OldGoodUntil *time.Time `json:"old_good_until,omitempty" doc:"of a rotation: until when the text before is good"`
	ID           int64      `json:"id"`
	Label        string     `json:"label"`
	Scope        string     `json:"scope"`
	Token        string     `json:"token"`
	Expires      *time.Time `json:"expires,omitempty" doc:"absent: never"`
}
