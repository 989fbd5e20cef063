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

func (a *handlers) people(t *calls.Table) {
	calls.Call(t, "me", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Me], error) {
		g := calls.GrantOf(ctx)
		me := contract.Me{Name: g.Label, Scope: string(g.Scope)}
		if g.Person != nil {
			me.Name, me.Email = g.Person.Name, g.Person.Email
		}
		return calls.Answer(me), nil
	})
	calls.Call(t, "sign-in", func(ctx context.Context, in *signInRequest) (*sessionOut, error) {
		secret, err := a.Store.Accounts.SignIn(ctx, in.Body.Link)
		if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.Unauthorized {
			err = a.WrongSecret(in.request, "sign-in link", err)
		}
		if err != nil {
			return nil, err
		}
		return &sessionOut{a.cookie(secret, int(accounts.SessionLife.Seconds()))}, nil
	})
	calls.Call(t, "sign-out", func(ctx context.Context, in *sessionCookies) (*sessionOut, error) {
		return &sessionOut{a.cookie("", -1)}, a.Store.Accounts.SignOut(ctx, cmp.Or(in.Secure, in.Plain))
	})
	calls.Call(t, "list-people", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.People], error) {
		list, err := a.Store.Accounts.People(ctx)
		if err != nil {
			return nil, err
		}
		out := contract.People{People: []contract.Person{}}
		for _, p := range list {
			out.People = append(out.People, person(p))
		}
		out.Teams, err = a.teams(ctx)
		return calls.Answer(out), err
	})
	calls.Call(t, "add-person", func(ctx context.Context,
		in *calls.Body[contract.NewPerson]) (*calls.Body[contract.Person], error) {
		p, secret, err := a.Store.Accounts.InvitePerson(ctx, in.Body.Name, in.Body.Email, in.Body.Admin, inviteLife)
		if err != nil {
			return nil, err
		}
		return a.invited(p, secret), nil
	})
	calls.Call(t, "invite-person", func(ctx context.Context, in *PersonPath) (*calls.Body[contract.Person], error) {
		p, err := a.somebody(ctx, in.Who)
		if err != nil {
			return nil, err
		}
		return a.invite(ctx, p)
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
	a.tokens(t)
}

func person(p *accounts.Person) contract.Person {
	out := contract.Person{Name: p.Name, Email: p.Email, Admin: p.Admin, Created: p.Created}
	if !p.Here() {
		out.Left = &p.Left
	}
	return out
}

func (a *handlers) invite(ctx context.Context, p *accounts.Person) (*calls.Body[contract.Person], error) {
	secret, err := a.Store.Accounts.NewSignInLink(ctx, p.ID, inviteLife)
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

func (a *handlers) cookie(secret string, maxAge int) http.Cookie {
	c := http.Cookie{Name: calls.PlainSessionCookie, Value: secret, Path: "/", MaxAge: maxAge, HttpOnly: true,
		SameSite: http.SameSiteLaxMode}
	if a.Public.Scheme == "https" {
		c.Name, c.Secure = calls.SecureSessionCookie, true
	}
	return c
}
