package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/mariadb"
)

const inviteLife = 24 * time.Hour

// SignInBody holds the secret of a sign-in link.
type SignInBody struct {
	Link string `json:"link" minLength:"20" maxLength:"100" doc:"what stands behind the # of a sign-in link"`
}

type sessionOut struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

// PersonPath names a person.
type PersonPath struct {
	Who string `path:"who" doc:"a name or an address"`
}

func (a *API) people(h huma.API) {
	op(h, a, "GET", "/api/me", "me", "Who asks", anyone, func(ctx context.Context, _ *noInput) (*body[contract.Me], error) {
		g := grantOf(ctx)
		me := contract.Me{Name: g.Label, Scope: string(g.Scope)}
		if g.Person != nil {
			me.Name, me.Email = g.Person.Name, g.Person.Email
		}
		return &body[contract.Me]{me}, nil
	})
	op(h, a, "POST", "/api/session", "sign-in", "Open a session with a one-time link", signIn, func(ctx context.Context, in *body[SignInBody]) (*sessionOut, error) {
		secret, err := a.store.SignIn(ctx, in.Body.Link)
		if err != nil {
			time.Sleep(300 * time.Millisecond) // guessing is slow
			return nil, err
		}
		return &sessionOut{a.cookie(secret, int(mariadb.SessionLife.Seconds()))}, nil
	})
	op(h, a, "DELETE", "/api/session", "sign-out", "End the session", anyone, func(ctx context.Context, in *struct {
		Session string `cookie:"firethorn_session"`
	}) (*sessionOut, error) {
		return &sessionOut{a.cookie("", -1)}, a.store.SignOut(ctx, in.Session)
	})
	op(h, a, "GET", "/api/people", "list-people", "Who works here, in which teams, and who did", see, func(ctx context.Context, _ *noInput) (*body[contract.People], error) {
		list, err := a.store.People(ctx)
		if err != nil {
			return nil, err
		}
		out := contract.People{People: []contract.Person{}}
		for _, p := range list {
			out.People = append(out.People, person(p))
		}
		out.Teams, err = a.teams(ctx)
		return &body[contract.People]{out}, err
	})
	op(h, a, "POST", "/api/people", "add-person", "Add someone; answers with a one-time sign-in link", administer, func(ctx context.Context, in *body[contract.NewPerson]) (*body[contract.Person], error) {
		p, err := a.store.AddPerson(ctx, in.Body.Name, in.Body.Email, in.Body.Admin)
		if err != nil {
			return nil, err
		}
		return a.invite(ctx, p)
	})
	op(h, a, "POST", "/api/people/{who}/link", "invite-person", "Make a new one-time sign-in link", administer, func(ctx context.Context, in *PersonPath) (*body[contract.Person], error) {
		p, err := a.somebody(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		return a.invite(ctx, p)
	})
	op(h, a, "POST", "/api/tokens", "create-token", "Make a token; its text is shown this once", administer, a.createToken)
}

func person(p *mariadb.Person) contract.Person {
	out := contract.Person{Name: p.Name, Email: p.Email, Admin: p.Admin, Created: p.Created}
	if !p.Here() {
		out.Left = &p.Left
	}
	return out
}

func (a *API) invite(ctx context.Context, p *mariadb.Person) (*body[contract.Person], error) {
	secret, err := a.store.NewSignInLink(ctx, p.ID, inviteLife)
	if err != nil {
		return nil, err
	}
	out := person(p)
	out.SignInLink = a.public.JoinPath("sign-in").String() + "#" + secret
	return &body[contract.Person]{out}, nil
}

func (a *API) cookie(secret string, maxAge int) http.Cookie {
	return http.Cookie{Name: sessionCookie, Value: secret, Path: "/", MaxAge: maxAge, HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: a.public.Scheme == "https"}
}

func (a *API) createToken(ctx context.Context, in *body[contract.NewToken]) (*body[contract.Token], error) {
	var project, who int64
	if in.Body.Project != "" {
		p, err := a.store.Project(ctx, in.Body.Project)
		if err != nil {
			return nil, err
		}
		project = p.ID
	}
	if in.Body.Person != "" {
		p, err := a.somebody(ctx, in.Body.Person)
		if err != nil {
			return nil, err
		}
		who = p.ID
	}
	text, err := a.store.NewToken(ctx, in.Body.Label, mariadb.Scope(in.Body.Scope), project, who, time.Duration(in.Body.Days)*24*time.Hour)
	return &body[contract.Token]{contract.Token{Label: in.Body.Label, Scope: in.Body.Scope, Token: text}}, err
}
