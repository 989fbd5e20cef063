package people

import (
	"context"
	"slices"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/accounts"
)

// TokenPath names a token.
type TokenPath struct {
	ID int64 `path:"id" minimum:"1" doc:"as the list shows it"`
}

func (a *handlers) tokens(t *calls.Table) {
	calls.Call(t, "list-tokens", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Tokens], error) {
		of, err := a.tokensOf(ctx)
		if err != nil {
			return nil, err
		}
		list, err := a.Store.Accounts.Tokens(ctx, of)
		out := contract.Tokens{Tokens: []contract.TokenInfo{}}
		for _, t := range list {
			out.Tokens = append(out.Tokens, tokenInfo(t))
		}
		return calls.Answer(out), err
	})
	calls.Call(t, "create-token", a.createToken)
	calls.Call(t, "rotate-token", a.rotateToken)
	calls.Call(t, "revoke-token", func(ctx context.Context, in *TokenPath) (*struct{}, error) {
		of, err := a.tokensOf(ctx)
		if err != nil {
			return nil, err
		}
		return nil, a.Store.Accounts.RevokeToken(ctx, in.ID, of)
	})
}

// tokensOf are the tokens that the caller sees and may end: operators all.
func (a *handlers) tokensOf(ctx context.Context) (accounts.TokensOf, error) {
	all, err := a.Allowed(ctx, access.ChangePeople, nil)
	of := accounts.TokensOf{All: all}
	if g := calls.GrantOf(ctx); g.Person != nil {
		of.Person = g.Person.ID
	}
	return of, err
}

func tokenInfo(t *accounts.TokenRow) contract.TokenInfo {
	out := contract.TokenInfo{ID: t.ID, Label: t.Label, Scope: t.Scope, Kind: string(t.Kind), Permissions: []string{},
		Projects: t.Projects, Person: t.Person, Maker: t.Maker, Created: t.Created, LastAddress: t.LastAddress,
		BeforeRoles: t.Before, Warning: t.Warning()}
	if len(t.Projects) == 1 {
		out.Project = t.Projects[0]
	}
	for _, p := range t.Given {
		out.Permissions = append(out.Permissions, string(p))
	}
	for at, to := range map[*time.Time]**time.Time{&t.Expires: &out.Expires, &t.LastUsed: &out.LastUsed,
		&t.OldUntil: &out.OldGoodUntil} {
		if !at.IsZero() {
			*to = at
		}
	}
	return out
}

func (a *handlers) createToken(ctx context.Context, in *calls.Body[contract.NewToken]) (*calls.Body[contract.Token],
	error) {
	t, err := a.newToken(ctx, &in.Body)
	if err != nil {
		return nil, err
	}
	if t.Person, err = a.ownerOf(ctx, in.Body.Person, t.Kind); err != nil {
		return nil, err
	}
	if t.Projects, err = a.projectsOf(ctx, &in.Body, t); err != nil {
		return nil, err
	}
	if err := a.mayGive(ctx, t); err != nil {
		return nil, err
	}
	id, text, err := a.Store.Accounts.CreateToken(ctx, t)
	if err != nil {
		return nil, err
	}
	out := contract.Token{ID: id, Label: t.Label, Scope: t.Scope, Token: text}
	if t.Life > 0 {
		until := a.Store.DB.Now().Add(t.Life)
		out.Expires = &until
	}
	return calls.Answer(out), nil
}

// newToken reads what a token is to be, without whose it is and where.
func (a *handlers) newToken(ctx context.Context, in *contract.NewToken) (accounts.NewToken, error) {
	kind, given, _ := access.Scope(in.Scope)
	t := accounts.NewToken{Label: in.Label, Scope: in.Scope, Kind: kind, Given: given, Life: accounts.TokenLife,
		Maker: calls.Actor(ctx).Name}
	switch {
	case in.Never && in.Days > 0:
		return t, problem.New(problem.BadInput, "a token that lives %d days and never runs out: give \"days\" or \"never\"",
			in.Days)
	case in.Never:
		t.Life = 0
	case in.Days > 0:
		t.Life = time.Duration(in.Days) * 24 * time.Hour
	}
	for _, name := range in.Permissions {
		p := access.Permission(name)
		if !slices.Contains(access.Givable, p) {
			return t, problem.New(problem.BadInput, "there is no permission %.40q; there are %s", name,
				access.Join(access.Givable, ", "))
		}
		if !slices.Contains(t.Given, p) {
			t.Given = append(t.Given, p)
		}
	}
	return t, nil
}

// ownerOf is the person a token is for; 0: for no person. Only those who may
// everything make tokens for others: with one they would act as them.
func (a *handlers) ownerOf(ctx context.Context, who string, kind access.Kind) (int64, error) {
	g := calls.GrantOf(ctx)
	if who == "" {
		if kind != access.KindPerson {
			return 0, nil
		}
		if g.Person == nil {
			return 0, problem.New(problem.BadInput, "a token of the kind person needs its owner: name one with \"person\", or --person NAME")
		}
		return g.Person.ID, nil
	}
	all, err := a.Allowed(ctx, access.Administer, nil)
	if err != nil {
		return 0, err
	}
	if !all {
		if g.Person != nil && (who == g.Person.Name || who == g.Person.Email) {
			return g.Person.ID, nil
		}
		return 0, problem.New(problem.Forbidden, "you can make tokens of your own, not of others: they make theirs in the console, page Tokens")
	}
	p, err := a.somebody(ctx, who)
	if err != nil {
		return 0, err
	}
	return p.ID, nil
}

// projectsOf are the projects that a token is to be good for, by their ids.
func (a *handlers) projectsOf(ctx context.Context, in *contract.NewToken, t accounts.NewToken) (ids []int64,
	err error) {
	names := in.Projects
	if in.Project != "" {
		names = append(slices.Clone(names), in.Project)
	}
	for _, name := range names {
		p, err := a.Named(ctx, name, access.ReadProject)
		if err != nil {
			return nil, err
		}
		if slices.Contains(ids, p.ID) {
			continue
		}
		ids = append(ids, p.ID)
		if t.Person != 0 {
			continue // it may no more than its person, whoever created it
		}
		if err := a.May(ctx, access.ChangeProject, p); err != nil {
			return nil, err
		}
		for _, given := range t.Given {
			if operates, err := a.Allowed(ctx, access.ChangePeople, nil); err != nil {
				return nil, err
			} else if operates && !access.Reads(given) && given != access.PushRules {
				continue // builds read nothing: operators give that everywhere
			}
			if err := a.May(ctx, given, p); err != nil {
				return nil, err
			}
		}
	}
	return ids, nil
}

// mayGive refuses a token without a person for all projects, unless its maker
// has its permissions in all projects, or operates the service and the token reads nothing.
func (a *handlers) mayGive(ctx context.Context, t accounts.NewToken) error {
	if t.Person != 0 {
		return nil
	}
	all, err := a.Allowed(ctx, access.Administer, nil)
	if err != nil || all {
		return err
	}
	if slices.Contains(t.Given, access.Administer) {
		return problem.New(problem.Forbidden, "a token that may everything is made on the machine of the service, with the token of its data directory")
	}
	if len(t.Projects) > 0 {
		return nil
	}
	g := calls.GrantOf(ctx)
	for _, p := range t.Given {
		if g.Operator && !access.Reads(p) && p != access.PushRules || g.Everywhere == access.Maintainer {
			continue
		}
		return problem.New(problem.Forbidden, "you cannot give permissions that you lack: you do not have %s in all projects. Name the projects that you maintain", p)
	}
	return nil
}

// usualOverlap is how long the text before a rotation stays good.
const usualOverlap = 24 * time.Hour

func (a *handlers) rotateToken(ctx context.Context, in *struct {
	TokenPath
	Body contract.RotateToken
}) (*calls.Body[contract.Token], error) {
	// Who rotates a token holds it: operators do so with what reads nothing.
	of, err := a.tokensOf(ctx)
	if err != nil {
		return nil, err
	}
	of.Builds = of.All
	if of.All, err = a.Allowed(ctx, access.Administer, nil); err != nil {
		return nil, err
	}
	overlap := usualOverlap
	if h := in.Body.OverlapHours; h != nil {
		overlap = time.Duration(*h) * time.Hour
	}
	r, err := a.Store.Accounts.RotateToken(ctx, in.ID, overlap, of)
	if err != nil {
		return nil, err
	}
	out := contract.Token{ID: in.ID, Label: r.Label, Scope: r.Scope, Token: r.Text}
	if !r.Expires.IsZero() {
		out.Expires = &r.Expires
	}
	if !r.OldUntil.IsZero() {
		out.OldGoodUntil = &r.OldUntil
	}
	return calls.Answer(out), nil
}
