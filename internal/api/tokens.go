package api

import (
	"context"
	"time"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/store/accounts"
)

func (a *API) tokens(t *table) {
	call(t, "list-tokens", func(ctx context.Context, _ *noInput) (*body[contract.Tokens], error) {
		list, err := a.store.Accounts.Tokens(ctx)
		out := contract.Tokens{Tokens: []contract.TokenInfo{}}
		for _, t := range list {
			out.Tokens = append(out.Tokens, tokenInfo(t))
		}
		return &body[contract.Tokens]{out}, err
	})
	call(t, "create-token", a.createToken)
	call(t, "revoke-token", func(ctx context.Context, in *struct {
		ID int64 `path:"id" minimum:"1"`
	}) (*struct{}, error) {
		return nil, a.store.Accounts.RevokeToken(ctx, in.ID)
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

func (a *API) createToken(ctx context.Context, in *body[contract.NewToken]) (*body[contract.Token], error) {
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
		p, err := a.store.Projects.Project(ctx, in.Body.Project)
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
	id, text, err := a.store.Accounts.CreateToken(ctx, t)
	if err != nil {
		return nil, err
	}
	out := contract.Token{ID: id, Label: t.Label, Scope: in.Body.Scope, Token: text}
	if t.Life > 0 {
		until := a.store.DB.Now().Add(t.Life)
		out.Expires = &until
	}
	return &body[contract.Token]{out}, nil
}
