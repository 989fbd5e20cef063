// Package access decides permissions: one table lists every permission, the role that has it in a
// project, and the permission that a token needs for it.
package access

import (
	"fmt"
	"slices"
	"strings"
)

// Permission allows one kind of action.
type Permission string

// The permissions in a project.
const (
	ReadIssues       Permission = "issues:read" // issues, releases, charts, sessions, what was received
	ReadEvents       Permission = "events:read" // events, and trials of rules on stored ones
	Export           Permission = "export"
	Comment          Permission = "issues:comment" // and watch an issue
	TriageIssues     Permission = "issues:triage"
	PushSymbols      Permission = "symbols:push"
	AnnounceReleases Permission = "releases:announce" // and mark deploys, and send commits
	CheckRules       Permission = "rules:check"       // read a project's rules and check others
	PushRules        Permission = "rules:push"
	DeleteIssues     Permission = "issues:delete"
	Regroup          Permission = "issues:regroup"
	ChangeImpact     Permission = "impact:change"
	EraseUsers       Permission = "users:erase"
	ReadProject      Permission = "project:read"   // settings, keys, members
	ChangeProject    Permission = "project:change" // settings, keys, allowance, retention
	ChangeMembers    Permission = "members:change"
)

// The permissions of the service.
const (
	ReadService        Permission = "service:read" // is all well
	ReadMetrics        Permission = "metrics:read" // which name no project
	ReadPeople         Permission = "people:read"  // whom one shares a project with
	OwnTokens          Permission = "tokens:own"   // tokens of one's own, and of projects that one maintains
	CreateProjects     Permission = "projects:create"
	ChangePeople       Permission = "people:change"
	ReadAudit          Permission = "audit:read"
	WorkQueue          Permission = "queue:work"
	ChangeDestinations Permission = "destinations:change" // and test them, and retry deliveries
	RepairCounters     Permission = "counters:repair"
	Administer         Permission = "admin" // everything, in all projects: that of a token alone
)

// Role is a person's role in a project. A greater one has all permissions that a smaller one
// may.
type Role int

// The roles. Anybody is the entry of the table for callers without a role.
const (
	None Role = iota
	Viewer
	Member
	Maintainer
)

// Anybody says that every person who is signed in may do it.
const Anybody Role = -1

// Nobody says that no role in a project gives it.
const Nobody Role = 99

var roleNames = map[Role]string{None: "none", Viewer: "viewer", Member: "member", Maintainer: "maintainer"}

func (r Role) String() string { return roleNames[r] }

// ReadRole reads the name of a role; ok is false for what is none.
func ReadRole(name string) (r Role, ok bool) {
	for role, n := range roleNames {
		if n == name && role != None {
			return role, true
		}
	}
	return None, false
}

// row is a line of the table.
type row struct {
	permission Permission
	role       Role       // the least one that has it in a project
	operator   bool       // operators have it
	token      Permission // what a token needs for it
}

// table is who may do what.
var table = []row{
	{ReadIssues, Viewer, false, ReadIssues},
	{ReadEvents, Viewer, false, ReadEvents},
	{Export, Viewer, false, Export},
	{Comment, Viewer, false, TriageIssues},
	{TriageIssues, Member, false, TriageIssues},
	{PushSymbols, Member, false, PushSymbols},
	{AnnounceReleases, Member, false, AnnounceReleases},
	{CheckRules, Viewer, false, CheckRules},
	{PushRules, Maintainer, false, PushRules},
	{DeleteIssues, Maintainer, false, TriageIssues},
	{Regroup, Maintainer, false, TriageIssues},
	{ChangeImpact, Maintainer, false, TriageIssues},
	{EraseUsers, Maintainer, false, Administer},
	{ReadProject, Viewer, true, ReadIssues},
	{ChangeProject, Maintainer, true, Administer},
	{ChangeMembers, Maintainer, true, Administer},

	{ReadService, Anybody, true, ReadIssues},
	{ReadMetrics, Nobody, true, ReadIssues},
	{ReadPeople, Anybody, true, ReadIssues},
	{OwnTokens, Anybody, true, Administer},
	{CreateProjects, Nobody, true, Administer},
	{ChangePeople, Nobody, true, Administer},
	{ReadAudit, Nobody, true, Administer},
	{WorkQueue, Nobody, true, Administer},
	{ChangeDestinations, Nobody, true, Administer},
	{RepairCounters, Nobody, true, Administer},
	{Administer, Nobody, false, Administer},
}

// of is the row of a permission. A permission without a row is given to nobody.
func of(p Permission) row {
	if i := slices.IndexFunc(table, func(r row) bool { return r.permission == p }); i >= 0 {
		return table[i]
	}
	return row{permission: p, role: Nobody, token: Administer}
}

// All lists the permissions of the table, in its order.
func All() []Permission {
	out := make([]Permission, len(table))
	for i, r := range table {
		out[i] = r.permission
	}
	return out
}

// LeastRole is the least role that has a permission in a project: Nobody when none
// has, Anybody when none is needed.
func LeastRole(p Permission) Role { return of(p).role }

// OfOperators says whether operators have a permission.
func OfOperators(p Permission) bool { return of(p).operator }

// OfToken is what a token needs for a permission.
func OfToken(p Permission) Permission { return of(p).token }

// Caller is who asks: a person by a session or a token of theirs, or a token of
// nobody.
type Caller struct {
	Person   bool // by a session, or by a token of theirs
	Operator bool // the person is one
	Token    bool // by a token
	// Given are the permissions of the token. Those who hold Administer have all, as
	// far as their person may.
	Given []Permission
	// Before says that the token is older than roles: it may what its permissions said
	// then, in all projects it was made for, whatever its person is there.
	Before bool
}

// holds says whether the token, if there is one, has a permission.
func (c Caller) holds(r row) bool {
	return !c.Token || slices.Contains(c.Given, Administer) || slices.Contains(c.Given, r.token)
}

// ByRole says whether a caller's role in a project counts: it does not for a token of
// nobody, nor for one that is older than roles.
func (c Caller) ByRole() bool { return c.Person && !(c.Token && c.Before) }

// Verdict is what is answered to who asks.
type Verdict int

// The verdicts. Hidden is answered like something that is not there.
const (
	Refused Verdict = iota
	Hidden
	Allowed
)

// InProject decides about a permission in one project. role is the caller's there;
// within says that the project is one of those that the token was made for, which are
// all where nothing was said.
func (c Caller) InProject(p Permission, role Role, within bool) Verdict {
	r := of(p)
	if !within {
		return Hidden
	}
	if c.ByRole() {
		operates := c.Operator && r.operator
		if role == None && !c.Operator {
			return Hidden
		}
		if (r.role == Nobody || role < r.role) && !operates || !c.holds(r) {
			return Refused
		}
		return Allowed
	}
	if !c.Token || !c.holds(r) {
		return Refused
	}
	if r.role == Maintainer && r.token != r.permission && !c.Before && !slices.Contains(c.Given, Administer) {
		return Refused // a token of nobody is a member, unless it was given more
	}
	return Allowed
}

// InService decides about a permission of the service. everywhere says that a token
// was made for all projects. What is a permission in a project is allowed to those
// who might have it in one: rows are filtered by project then.
func (c Caller) InService(p Permission, everywhere bool) Verdict {
	r := of(p)
	if !c.holds(r) || !c.Token && !c.Person {
		return Refused
	}
	inProjects := r.role > None && r.role < Nobody
	if inProjects || r.role == Anybody && c.Person {
		return Allowed
	}
	if c.ByRole() {
		if r.operator && c.Operator {
			return Allowed
		}
		return Refused
	}
	if !everywhere {
		return Refused // what is about all projects is not for a token of some
	}
	return Allowed
}

// Kind is what a token is for.
type Kind string

// The kinds of tokens.
const (
	KindBuild   Kind = "build"   // a build: symbols and releases, and never an event
	KindRead    Kind = "read"    // a program that reads
	KindPerson  Kind = "person"  // somebody's own programs: what they may, and no more
	KindService Kind = "service" // another service, with the permissions that were chosen
)

// Givable lists what a token can be given, in the order it is shown.
var Givable = []Permission{PushSymbols, AnnounceReleases, CheckRules, PushRules, ReadIssues, TriageIssues, ReadEvents,
	Export}

// Usual is what a token of a kind has unless something else was said. It is empty for
// a service, and for what is no kind.
func (k Kind) Usual() []Permission {
	switch k {
	case KindBuild:
		return []Permission{PushSymbols, AnnounceReleases, CheckRules}
	case KindRead:
		return []Permission{CheckRules, ReadIssues, ReadEvents}
	case KindPerson:
		return slices.Clone(Givable)
	}
	return nil
}

// Scope is a set of permissions with a name: the name of a kind, or admin for all.
func Scope(name string) (Kind, []Permission, bool) {
	switch k := Kind(name); {
	case name == string(Administer):
		return KindService, append(slices.Clone(Givable), Administer), true
	case k == KindBuild || k == KindRead || k == KindPerson || k == KindService:
		return k, k.Usual(), true
	}
	return "", nil, false
}

// Reads says whether a permission shows what was reported.
func Reads(p Permission) bool {
	return p == ReadIssues || p == ReadEvents || p == Export || p == TriageIssues || p == Administer
}

// Why says what a caller lacks, and who can help.
func Why(p Permission, role Role, project string) string {
	r := of(p)
	switch {
	case r.role == Anybody:
		return fmt.Sprintf("this is for people: sign in as one, or use a token of one; it needs the permission %s", p)
	case r.role == Nobody:
		return fmt.Sprintf("this needs the permission %s, which operators of the service have", p)
	case project != "" && role == None:
		return fmt.Sprintf("this needs the role %s in %s, and you have none there; an operator can take one with a reason: firethorn member set NAME %s --project %s --reason TEXT",
			r.role, project, r.role, project)
	case project != "":
		return fmt.Sprintf("this needs the permission %s in %s, which the role %s has; yours there is %s. A maintainer can change it",
			p, project, r.role, role)
	}
	return fmt.Sprintf("this needs the permission %s", p)
}

// Join writes permissions one after the other.
func Join(list []Permission, by string) string {
	out := make([]string, len(list))
	for i, p := range list {
		out[i] = string(p)
	}
	return strings.Join(out, by)
}

// Split reads permissions with spaces between them.
func Split(text string) (out []Permission) {
	for _, p := range strings.Fields(text) {
		out = append(out, Permission(p))
	}
	return out
}
