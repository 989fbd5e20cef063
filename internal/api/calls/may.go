package calls

import (
	"context"
	"errors"
	"slices"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// This file is the one place where permissions are checked, for calls, streams and
// what goes on for long on somebody's behalf. What it decides by is the table of
// core/access.

// May answers whether who asks may do something in a project, or in the service
// (nil). A project that they do not see is answered like one that is not there.
func (a *Frame) May(ctx context.Context, need Action, p *projects.Project) error {
	g := GrantOf(ctx)
	if need == Anyone || need == SignIn {
		return nil
	}
	if p == nil {
		if g.InService(need, !g.Limited) == access.Allowed {
			return nil
		}
		return refused(g, need, access.None, "")
	}
	role, within, err := a.placeOf(ctx, g, p.ID)
	if err != nil {
		return err
	}
	switch g.InProject(need, role, within) {
	case access.Allowed:
		return nil
	case access.Hidden:
		return projects.NotThere(p.Name)
	}
	return refused(g, need, role, p.Name)
}

// placeOf is what a caller is in a project, and whether their token is good for it.
func (a *Frame) placeOf(ctx context.Context, g *accounts.Grant, project int64) (role access.Role, within bool,
	err error) {
	within = true
	if g.Limited {
		if within, err = a.Store.Accounts.TokenWithin(ctx, g.TokenID, project); err != nil || !within {
			return access.None, false, err
		}
	}
	if g.ByRole() {
		role, err = a.Store.Accounts.RoleOf(ctx, g.Person, project)
	}
	return role, within, err
}

// refused says what a caller lacks.
func refused(g *accounts.Grant, need Action, role access.Role, project string) error {
	if g.Caller.Token && !slices.Contains(g.Given, access.OfToken(need)) && !slices.Contains(g.Given,
		access.Administer) {
		return problem.New(problem.Forbidden, "this needs the permission %s; this token has %s", access.OfToken(need),
			given(g))
	}
	if g.Caller.Token && !g.ByRole() && project == "" && g.Limited {
		return problem.New(problem.Forbidden,
			"this needs the permission %s in all projects; this token is good for some only", need)
	}
	if g.Caller.Token && !g.ByRole() {
		return problem.New(problem.Forbidden,
			"this needs the permission %s; only a token of the scope admin, or a person, can have it", need)
	}
	return problem.New(problem.Forbidden, "%s", access.Why(need, role, project))
}

func given(g *accounts.Grant) string {
	if len(g.Given) == 0 {
		return "none"
	}
	return access.Join(g.Given, ", ")
}

// Sight is the projects in which who asks may do something.
func (a *Frame) Sight(ctx context.Context, need Action) sight.Sight {
	g := GrantOf(ctx)
	if g.InService(need, true) != access.Allowed && !(g.Operator && access.OfOperators(need)) {
		return sight.Sight{}
	}
	seen := sight.All
	least := access.LeastRole(need)
	if g.ByRole() && g.Everywhere < least && !(g.Operator && access.OfOperators(need)) {
		seen = sight.OfPerson(g.Person.ID, least)
	}
	if g.Limited {
		seen = seen.Within(g.TokenID)
	}
	return seen
}

// Allowed says whether who asks has a permission in a project, or in the service
// (nil).
func (a *Frame) Allowed(ctx context.Context, need Action, p *projects.Project) (bool, error) {
	err := a.May(ctx, need, p)
	if f, ok := errors.AsType[*problem.Error](err); ok && (f.Code == problem.Forbidden || f.Code == problem.NotFound) {
		return false, nil
	}
	return err == nil, err
}

// Still is May of something that goes on for long: who asks is found out again, since
// a role, a session or a token may have been taken away.
func (a *Frame) Still(ctx context.Context, need Action, p *projects.Project) error {
	ctx, err := a.Again(ctx)
	if err != nil {
		return err
	}
	return a.May(ctx, need, p)
}

// Again is a context with who asks as they are now.
func (a *Frame) Again(ctx context.Context) (context.Context, error) {
	ask, ok := ctx.Value(askKey{}).(func(context.Context) (*accounts.Grant, error))
	if !ok {
		return ctx, nil
	}
	g, err := ask(ctx)
	return context.WithValue(ctx, grantKey{}, g), err
}

// askKey is the place in a request's context of how to find out again who asks.
type askKey struct{}

// freshEnough refuses a call that wants a fresh sign-in of a person in a browser.
func (a *Frame) freshEnough(ctx context.Context, r Route) error {
	g := GrantOf(ctx)
	if !r.Fresh() || g.Session == 0 || a.Store.DB.Now().Sub(g.SignedIn) <= FreshSignIn {
		return nil
	}
	return problem.New(problem.FreshSignIn,
		"this cannot be undone, or changes who may do what: sign in again, then repeat it within %d minutes. firethorn person link prints a link", int(FreshSignIn.Minutes()))
}
