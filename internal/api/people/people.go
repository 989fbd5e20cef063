package people

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/sight"
	"firethorn/internal/web"
)

// How long sign-in links are good.
const (
	inviteLife = 24 * time.Hour   // of somebody else
	ownLife    = 15 * time.Minute // of oneself
)

// SignInBody holds the secret of a sign-in link.
type SignInBody struct {
	Link string `json:"link" minLength:"20" maxLength:"100" doc:"the part of a sign-in link after the #"`
}

// signInRequest is a sign-in with the request that it came by.
type signInRequest struct {
	sessionCookies
	Body    SignInBody
	request *http.Request
}

// Resolve keeps the request, for who guesses.
func (s *signInRequest) Resolve(ctx huma.Context) []error {
	s.request, _ = humachi.Unwrap(ctx)
	return nil
}

// sessionCookies are the cookies that a session may stand in.
type sessionCookies struct {
	Secure string `cookie:"__Host-firethorn_session"`
	Plain  string `cookie:"firethorn_session"`
}

type sessionOut struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

// PersonPath names a person.
type PersonPath struct {
	Who string `path:"who" doc:"a name or an address"`
}

func (a *handlers) people(t *calls.Table) {
	calls.Call(t, "list-people", a.listPeople)
	calls.Call(t, "add-person", a.addPerson)
	calls.Call(t, "invite-person", func(ctx context.Context, in *PersonPath) (*calls.Body[contract.Person], error) {
		p, err := a.somebody(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		return a.invite(ctx, p, inviteLife)
	})
	calls.Call(t, "sign-out-person", func(ctx context.Context, in *PersonPath) (*calls.Body[contract.SignedOut],
		error) {
		p, err := a.somebody(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		n, err := a.Store.Accounts.SignOutPerson(ctx, p.ID)
		return calls.Answer(contract.SignedOut{Name: p.Name, Sessions: n}), err
	})
	calls.Call(t, "merge-people", a.mergePeople)
}

// signingIn are the calls about oneself.
func (a *handlers) signingIn(t *calls.Table) {
	calls.Call(t, "me", a.me)
	calls.Call(t, "sign-in", func(ctx context.Context, in *signInRequest) (*sessionOut, error) {
		secret, err := a.Store.Accounts.SignIn(ctx, accounts.Opening{Link: in.Body.Link,
			Agent: in.request.UserAgent(), Address: web.Sender(in.request), Before: cmp.Or(in.Secure, in.Plain)})
		if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.Unauthorized {
			err = a.WrongSecret(in.request, "sign-in link", err)
		}
		if err != nil {
			return nil, err
		}
		return &sessionOut{a.SessionCookie(secret, int(accounts.SessionLife.Seconds()))}, nil
	})
	calls.Call(t, "sign-out", func(ctx context.Context, in *sessionCookies) (*sessionOut, error) {
		return &sessionOut{a.SessionCookie("", -1)}, a.Store.Accounts.SignOut(ctx, cmp.Or(in.Secure, in.Plain))
	})
	calls.Call(t, "link-for-me", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Person], error) {
		g := calls.GrantOf(ctx)
		if g.Person == nil {
			return nil, problem.New(problem.Forbidden,
				"this token belongs to no person; say who the link is for: firethorn person link NAME")
		}
		if !g.Whole() {
			return nil, problem.New(problem.Forbidden, "this token may not all that you may, and a session could: make the link with a token of the kind person")
		}
		if g.Session != 0 {
			return nil, problem.New(problem.Forbidden,
				"a browser cannot make a link for itself: run firethorn person link in a terminal where you are logged in, or ask an operator")
		}
		return a.invite(ctx, g.Person, ownLife)
	})
	calls.Call(t, "list-sign-ins", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.SignIns], error) {
		g := calls.GrantOf(ctx)
		out := contract.SignIns{Sessions: []contract.SignIn{}}
		if g.Person == nil || !g.Whole() {
			return calls.Answer(out), nil
		}
		list, err := a.Store.Accounts.SessionsOf(ctx, g.Person.ID)
		for _, s := range list {
			out.Sessions = append(out.Sessions, contract.SignIn{ID: s.ID, Opened: s.Opened, LastUsed: s.Used,
				RunsOut: s.RunsOut, Address: s.Address, Agent: s.Agent, This: s.ID == g.Session})
		}
		return calls.Answer(out), err
	})
	calls.Call(t, "end-sign-in", func(ctx context.Context, in *struct {
		ID int64 `path:"id" minimum:"1"`
	}) (*struct{}, error) {
		g := calls.GrantOf(ctx)
		if g.Person == nil || !g.Whole() {
			return nil, problem.New(problem.NotFound, "there is no session %d; it may have expired", in.ID)
		}
		return nil, a.Store.Accounts.EndSession(ctx, g.Person.ID, in.ID)
	})
	calls.Call(t, "end-other-sign-ins", func(ctx context.Context,
		_ *calls.NoInput) (*calls.Body[contract.SignedOut], error) {
		g := calls.GrantOf(ctx)
		if g.Person == nil || !g.Whole() {
			return calls.Answer(contract.SignedOut{Name: g.Label}), nil
		}
		n, err := a.Store.Accounts.EndOtherSessions(ctx, g.Person.ID, g.Session)
		return calls.Answer(contract.SignedOut{Name: g.Person.Name, Sessions: n}), err
	})
}

func (a *handlers) me(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Me], error) {
	g := calls.GrantOf(ctx)
	me := contract.Me{Name: g.Label, Scope: g.Scope, Operator: g.Operator, Roles: map[string]string{}}
	if g.Person == nil {
		return calls.Answer(me), nil
	}
	me.Name, me.Email = g.Person.Name, g.Person.Email
	roles, everywhere, err := a.Store.Accounts.RolesOf(ctx, g.Person.ID)
	for project, role := range roles {
		me.Roles[project] = role.String()
	}
	me.Everywhere = roleName(everywhere)
	if g.Session != 0 {
		until := g.SignedIn.Add(calls.FreshSignIn)
		me.FreshUntil = &until
	}
	return calls.Answer(me), err
}

// roleName is a role as the contract names it; "" for none.
func roleName(r access.Role) string {
	if r == access.None {
		return ""
	}
	return r.String()
}

// shared lists the people the caller may see: operators see all.
func (a *handlers) shared(ctx context.Context) (accounts.Shared, error) {
	all, err := a.Allowed(ctx, access.ChangePeople, nil)
	if all || err != nil {
		return accounts.EverybodySees, err
	}
	out := accounts.Shared{Seen: a.Sight(ctx, access.ReadIssues)}
	if g := calls.GrantOf(ctx); g.Person != nil {
		out.Person = g.Person.ID
	}
	return out, nil
}

func (a *handlers) listPeople(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.People], error) {
	shared, err := a.shared(ctx)
	if err != nil {
		return nil, err
	}
	list, err := a.Store.Accounts.People(ctx, shared)
	if err != nil {
		return nil, err
	}
	roles, err := a.rolesSeen(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.People{People: []contract.Person{}}
	for _, p := range list {
		one := person(p)
		one.Everywhere, one.Roles, one.MoreRoles = roles.of(p.ID)
		out.People = append(out.People, one)
	}
	out.Teams, err = a.teams(ctx, shared, roles)
	return calls.Answer(out), err
}

func (a *handlers) addPerson(ctx context.Context, in *calls.Body[contract.NewPerson]) (*calls.Body[contract.Person],
	error) {
	n := accounts.NewPerson{Name: in.Body.Name, Email: in.Body.Email, Operator: in.Body.Admin || in.Body.Operator,
		Life: inviteLife}
	if in.Body.Project != "" && in.Body.Role == "" {
		return nil, problem.New(problem.BadInput, "say what they are in %s: \"role\" is viewer, member or maintainer",
			in.Body.Project)
	}
	if in.Body.Role != "" {
		role, _ := access.ReadRole(in.Body.Role)
		r := accounts.NewRole{Role: role, Reason: "added"}
		if in.Body.Project != "" {
			p, err := a.Named(ctx, in.Body.Project, access.ChangeMembers)
			if err != nil {
				return nil, err
			}
			r.Project, r.ProjectName = p.ID, p.Name
		}
		n.Roles = append(n.Roles, r)
	}
	p, secret, err := a.Store.Accounts.InvitePerson(ctx, n)
	if err != nil {
		return nil, err
	}
	out := a.invited(p, secret)
	switch {
	case in.Body.Role == "":
	case in.Body.Project == "":
		out.Body.Everywhere = in.Body.Role
	default:
		out.Body.Roles = []contract.RoleIn{{Project: in.Body.Project, Role: in.Body.Role}}
	}
	return out, nil
}

func (a *handlers) mergePeople(ctx context.Context, in *struct {
	PersonPath
	Body contract.MergePeople
}) (*calls.Body[contract.Merged], error) {
	from, err := a.Store.Accounts.FindPerson(ctx, in.Who)
	if err != nil {
		return nil, err
	}
	into, err := a.somebody(ctx, in.Body.Into)
	if err != nil {
		return nil, err
	}
	if into.ID == calls.PersonOf(ctx) {
		return nil, problem.New(problem.Forbidden, "you would get the roles of %s: ask another operator to merge them into you",
			from.Name)
	}
	if err := a.Store.Accounts.MergePeople(ctx, from, into); err != nil {
		return nil, err
	}
	list, err := a.Store.Projects.Projects(ctx, sight.All)
	if err != nil {
		return nil, err
	}
	done, err := a.Store.Triage.HandOver(ctx, list, from, into, "the same person as "+into.Name, calls.Actor(ctx))
	return calls.Answer(contract.Merged{From: from.Name, Into: into.Name, Projects: rows.HandedIn(done)}), err
}

func person(p *accounts.Person) contract.Person {
	out := contract.Person{Name: p.Name, Email: p.Email, Admin: p.Operator, Operator: p.Operator, Created: p.Created}
	if !p.Here() {
		out.Left = &p.Left
	}
	return out
}

func (a *handlers) invite(ctx context.Context, p *accounts.Person, life time.Duration) (*calls.Body[contract.Person],
	error) {
	secret, err := a.Store.Accounts.NewSignInLink(ctx, p.ID, life)
	if err != nil {
		return nil, err
	}
	return a.invited(p, secret), nil
}

func (a *handlers) invited(p *accounts.Person, secret string) *calls.Body[contract.Person] {
	out := person(p)
	out.SignInLink = a.Public.JoinPath("sign-in").String() + "#" + secret
	return calls.Answer(out)
}
