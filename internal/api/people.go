package api

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/store/accounts"
)

const inviteLife = 24 * time.Hour

// SignInBody holds the secret of a sign-in link.
type SignInBody struct {
	Link string `json:"link" minLength:"20" maxLength:"100" doc:"what stands behind the # of a sign-in link"`
}

// signInRequest is a sign-in with the request that it came by.
type signInRequest struct {
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

func (a *API) people(t *table) {
	call(t, "me", func(ctx context.Context, _ *noInput) (*body[contract.Me], error) {
		g := grantOf(ctx)
		me := contract.Me{Name: g.Label, Scope: string(g.Scope)}
		if g.Person != nil {
			me.Name, me.Email = g.Person.Name, g.Person.Email
		}
		return &body[contract.Me]{me}, nil
	})
	call(t, "sign-in", func(ctx context.Context, in *signInRequest) (*sessionOut, error) {
		secret, err := a.store.Accounts.SignIn(ctx, in.Body.Link)
		if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.Unauthorized {
			err = a.wrongSecret(in.request, "sign-in link", err)
		}
		if err != nil {
			return nil, err
		}
		return &sessionOut{a.cookie(secret, int(accounts.SessionLife.Seconds()))}, nil
	})
	call(t, "sign-out", func(ctx context.Context, in *sessionCookies) (*sessionOut, error) {
		return &sessionOut{a.cookie("", -1)}, a.store.Accounts.SignOut(ctx, cmp.Or(in.Secure, in.Plain))
	})
	call(t, "list-people", func(ctx context.Context, _ *noInput) (*body[contract.People], error) {
		list, err := a.store.Accounts.People(ctx)
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
	call(t, "add-person", func(ctx context.Context, in *body[contract.NewPerson]) (*body[contract.Person], error) {
		p, err := a.store.Accounts.AddPerson(ctx, in.Body.Name, in.Body.Email, in.Body.Admin)
		if err != nil {
			return nil, err
		}
		return a.invite(ctx, p)
	})
	call(t, "invite-person", func(ctx context.Context, in *PersonPath) (*body[contract.Person], error) {
		p, err := a.somebody(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		return a.invite(ctx, p)
	})
	call(t, "sign-out-person", func(ctx context.Context, in *PersonPath) (*body[contract.SignedOut], error) {
		p, err := a.somebody(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		n, err := a.store.Accounts.SignOutPerson(ctx, p.ID)
		return &body[contract.SignedOut]{contract.SignedOut{Name: p.Name, Sessions: n}}, err
	})
	a.tokens(t)
}

func person(p *accounts.Person) contract.Person {
	out := contract.Person{Name: p.Name, Email: p.Email, Admin: p.Admin, Created: p.Created}
	if !p.Here() {
		out.Left = &p.Left
	}
	return out
}

func (a *API) invite(ctx context.Context, p *accounts.Person) (*body[contract.Person], error) {
	secret, err := a.store.Accounts.NewSignInLink(ctx, p.ID, inviteLife)
	if err != nil {
		return nil, err
	}
	out := person(p)
	out.SignInLink = a.public.JoinPath("sign-in").String() + "#" + secret
	return &body[contract.Person]{out}, nil
}

func (a *API) cookie(secret string, maxAge int) http.Cookie {
	c := http.Cookie{Name: plainSessionCookie, Value: secret, Path: "/", MaxAge: maxAge, HttpOnly: true,
		SameSite: http.SameSiteLaxMode}
	if a.public.Scheme == "https" {
		c.Name, c.Secure = secureSessionCookie, true
	}
	return c
}
