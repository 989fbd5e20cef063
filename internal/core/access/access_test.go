package access_test

import (
	"slices"
	"strings"
	"testing"

	. "firethorn/internal/core/access"
)

// may is what each caller of a project may, in the words of the table that people
// read, written down apart from it.
var may = map[string]string{
	"viewer":     "issues:read events:read export issues:comment rules:check project:read",
	"member":     "issues:read events:read export issues:comment rules:check project:read issues:triage symbols:push releases:announce",
	"maintainer": "issues:read events:read export issues:comment rules:check project:read issues:triage symbols:push releases:announce rules:push issues:delete issues:regroup impact:change users:erase project:change members:change",
	"operator":   "project:read project:change members:change",
	"nobody":     "",
	"build":      "symbols:push releases:announce rules:check",
	"read":       "rules:check issues:read events:read project:read",
	"triaging":   "issues:triage issues:comment",
	"all":        "issues:read events:read export issues:comment rules:check project:read issues:triage symbols:push releases:announce rules:push issues:delete issues:regroup impact:change users:erase project:change members:change",
}

func inProjects() (out []Permission) {
	for _, p := range All() {
		if r := LeastRole(p); r > None && r < Nobody {
			out = append(out, p)
		}
	}
	return out
}

func TestInProject(t *testing.T) {
	person := Caller{Person: true}
	for name, c := range map[string]struct {
		caller Caller
		role   Role
	}{
		"viewer": {person, Viewer}, "member": {person, Member}, "maintainer": {person, Maintainer},
		"operator": {Caller{Person: true, Operator: true}, None}, "nobody": {Caller{}, Maintainer},
		"build": {Caller{Token: true, Given: KindBuild.Usual()}, None}, "read": {Caller{Token: true, Given: KindRead.Usual()}, None},
		"triaging": {Caller{Token: true, Given: []Permission{TriageIssues}}, None},
		"all":      {Caller{Token: true, Given: []Permission{Administer}}, None},
	} {
		for _, p := range inProjects() {
			want := slices.Contains(strings.Fields(may[name]), string(p))
			if got := c.caller.InProject(p, c.role, true) == Allowed; got != want {
				t.Errorf("%s, %s: %v", name, p, got)
			}
			if name != "nobody" && c.caller.InProject(p, c.role, false) != Hidden {
				t.Errorf("%s, %s, in a project that is none of the token's: not hidden", name, p)
			}
		}
	}
}

// A token of a person may what both may.
func TestInProject_TokenOfAPerson(t *testing.T) {
	for _, c := range []struct {
		given []Permission
		role  Role
		p     Permission
		want  Verdict
	}{
		{KindPerson.Usual(), Viewer, ReadIssues, Allowed},
		{KindPerson.Usual(), Viewer, TriageIssues, Refused},
		{KindPerson.Usual(), Maintainer, DeleteIssues, Allowed},
		{KindPerson.Usual(), Maintainer, ChangeMembers, Refused},
		{[]Permission{Administer}, Maintainer, ChangeMembers, Allowed},
		{[]Permission{Administer}, Viewer, ChangeMembers, Refused},
		{[]Permission{Administer}, None, ReadIssues, Hidden},
		{KindRead.Usual(), Maintainer, TriageIssues, Refused},
	} {
		x := Caller{Person: true, Token: true, Given: c.given}
		if got := x.InProject(c.p, c.role, true); got != c.want {
			t.Errorf("%v as %s, %s: %v, want %v", c.given, c.role, c.p, got, c.want)
		}
	}
	before := Caller{Person: true, Token: true, Before: true, Given: KindPerson.Usual()}
	for _, p := range []Permission{ReadEvents, TriageIssues, DeleteIssues, Regroup, PushRules} {
		if before.InProject(p, None, true) != Allowed {
			t.Errorf("a token that is older than roles may not %s any more", p)
		}
	}
	if before.InProject(ChangeProject, None, true) != Refused {
		t.Error("a token that is older than roles may more than it could")
	}
}

func TestInService(t *testing.T) {
	for _, c := range []struct {
		name       string
		caller     Caller
		everywhere bool
		may        string
	}{
		{"person", Caller{Person: true}, true, "service:read people:read tokens:own"},
		{"operator", Caller{Person: true, Operator: true}, true,
			"service:read metrics:read people:read tokens:own projects:create people:change audit:read queue:work destinations:change counters:repair"},
		{"read token", Caller{Token: true, Given: KindRead.Usual()}, true, "service:read metrics:read people:read"},
		{"read token of one project", Caller{Token: true, Given: KindRead.Usual()}, false, ""},
		{"build token", Caller{Token: true, Given: KindBuild.Usual()}, true, ""},
		{"token of all", Caller{Token: true, Given: []Permission{Administer}}, true,
			"service:read metrics:read people:read tokens:own projects:create people:change audit:read queue:work destinations:change counters:repair admin"},
		{"an operator's token that may all", Caller{Person: true, Operator: true, Token: true, Given: []Permission{Administer}}, true,
			"service:read metrics:read people:read tokens:own projects:create people:change audit:read queue:work destinations:change counters:repair"},
		{"an operator's token", Caller{Person: true, Operator: true, Token: true, Given: KindPerson.Usual()}, true, "service:read metrics:read people:read"},
		{"nobody", Caller{}, true, ""},
	} {
		for _, p := range All() {
			if r := LeastRole(p); r > None && r < Nobody {
				continue
			}
			want := slices.Contains(strings.Fields(c.may), string(p))
			if got := c.caller.InService(p, c.everywhere) == Allowed; got != want {
				t.Errorf("%s, %s: %v", c.name, p, got)
			}
		}
	}
}

func TestScope(t *testing.T) {
	for name, want := range map[string]string{
		"build": "build symbols:push,releases:announce,rules:check", "read": "read rules:check,issues:read,events:read",
		"service": "service ", "admin": "service " + Join(Givable, ",") + ",admin", "person": "person " + Join(Givable, ","),
	} {
		k, list, ok := Scope(name)
		if got := string(k) + " " + Join(list, ","); !ok || got != want {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
	if _, _, ok := Scope("root"); ok {
		t.Error("there is a scope root")
	}
	for _, p := range KindBuild.Usual() {
		if Reads(p) {
			t.Errorf("a build token reads by %s", p)
		}
	}
}

func TestReadRole(t *testing.T) {
	for _, r := range []Role{Viewer, Member, Maintainer} {
		if got, ok := ReadRole(r.String()); !ok || got != r {
			t.Errorf("%s is read as %s, %v", r, got, ok)
		}
	}
	for _, name := range []string{"", "none", "owner", "Viewer"} {
		if r, ok := ReadRole(name); ok {
			t.Errorf("%q is read as %s", name, r)
		}
	}
}

func TestWhy(t *testing.T) {
	for _, c := range []struct {
		p       Permission
		role    Role
		project string
		has     string
	}{
		{PushRules, Member, "quayside", "the role maintainer has; yours there is member"},
		{ReadIssues, None, "quayside", "member set NAME viewer --project quayside --reason"},
		{ReadAudit, None, "", "audit:read, which operators"},
		{OwnTokens, None, "", "sign in as one"},
	} {
		if got := Why(c.p, c.role, c.project); !strings.Contains(got, c.has) {
			t.Errorf("%s: %q has no %q", c.p, got, c.has)
		}
	}
}
