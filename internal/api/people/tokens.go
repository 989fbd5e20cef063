package people

import (
	"context"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/store/accounts"
)

func (a *handlers) tokens(t *calls.Table) {
	calls.Call(t, "list-tokens", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Tokens], error) {
		list, err := a.Store.Accounts.Tokens(ctx)
		out := contract.Tokens{Tokens: []contract.TokenInfo{}}
		for _, t := range list {
			out.Tokens = append(out.Tokens, tokenInfo(t))
		}
		return calls.Answer(out), err
	})
	calls.Call(t, "create-token", a.createToken)
	calls.Call(t, "revoke-token", func(ctx context.Context, in *struct {
		ID int64 `path:"id" minimum:"1"`
	}) (*struct{}, error) {
		return nil, a.Store.Accounts.RevokeToken(ctx, in.ID)
	})
}

func tokenInfo(t *accounts.TokenRow) contract.TokenInfo {
	out := contract.TokenInfo{ID: t.ID, Label: t.Label, Scope: string(t.Scope), Permissions: []string{},
		Project: t.Project, Person: t.Person, Created: t.Created, Warning: t.Warning()}
	for _, p := range t.Permissions {
		out.Permissions = append(out.Permissions, string(p))
	}
	if !t.Expires.IsZero() {
		out.Expires = &t.Expires
	}
	if !t.LastUsed.IsZero() {
		out.LastUsed = &t.LastUsed
	}
	return out
}

func (a *handlers) createToken(ctx context.Context, in *calls.Body[contract.NewToken]) (*calls.Body[contract.Token],
	error) {
	t := accounts.NewToken{Label: in.Body.Label, Scope: accounts.Scope(in.Body.Scope), Life: accounts.TokenLife}
	switch {
	case in.Body.Never && in.Body.Days > 0:
		return nil, fault.New(fault.BadInput, "a token that lives %d days and never runs out: give \"days\" or \"never\"", in.Body.Days)
	case in.Body.Never:
		t.Life = 0
	case in.Body.Days > 0:
		t.Life = time.Duration(in.Body.Days) * 24 * time.Hour
	}
	for _, p := range in.Body.Permissions {
		t.More = append(t.More, accounts.Permission(p))
	}
	if in.Body.Project != "" {
		p, err := a.Store.Projects.Project(ctx, in.Body.Project)
		if err != nil {
			return nil, err
		}
		t.Project = p.ID
	}
	if in.Body.Person != "" {
		p, err := a.somebody(ctx, in.Body.Person)
		if err != nil {
			return nil, err
		}
		t.Person = p.ID
	}
	id, text, err := a.Store.Accounts.CreateToken(ctx, t)
	if err != nil {
		return nil, err
	}
	out := contract.Token{ID: id, Label: t.Label, Scope: in.Body.Scope, Token: text}
	if t.Life > 0 {
		until := a.Store.DB.Now().Add(t.Life)
		out.Expires = &until
	}
	return calls.Answer(out), nil
}
