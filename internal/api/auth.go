package api

import (
	"context"
	"errors"
	"net"
	"net/http"
	"slices"
	"strings"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/mariadb"
	"firethorn/internal/web"
)

// action is what somebody wants to do, as far as rights tell actions apart.
type action int

const (
	anyone     action = iota // whoever is known
	see                      // read issues and events
	triage                   // decide about issues
	pushSymbol               // push symbols
	announce                 // announce releases, mark deploys
	readRules                // read a project's rules, check and try others
	pushRules                // change a project's rules
	administer               // projects, keys, people, tokens
	signIn                   // open a session by a link: needs no right
)

// allows lists what each scope may do.
var allows = map[mariadb.Scope][]action{
	mariadb.ScopeBuild:  {anyone, pushSymbol, announce, readRules, pushRules, signIn},
	mariadb.ScopeRead:   {anyone, see, readRules, signIn},
	mariadb.ScopePerson: {anyone, see, triage, pushSymbol, announce, readRules, pushRules, signIn},
	mariadb.ScopeAdmin:  {anyone, see, triage, pushSymbol, announce, readRules, pushRules, administer, signIn},
}

type grantKey struct{}

// wrongTokenWait is how long the answer to a wrong token takes.
const wrongTokenWait = 200 * time.Millisecond

// sessionCookie holds a browser's session.
const sessionCookie = "firethorn_session"

// authenticate finds out who asks, by token or cookie. Only opening a session
// by a sign-in link passes without either.
func (a *API) authenticate(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		g, err := a.grantSoon(r)
		if err != nil {
			if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.Unauthorized && r.Header.Get("Authorization") != "" { // guessing is slow
				select {
				case <-r.Context().Done():
				case <-time.After(wrongTokenWait):
				}
			}
			web.WriteError(w, r, a.log, err)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), grantKey{}, g)))
	})
}

// grantTime is how long finding out who asks may take.
const grantTime = 3 * time.Second

// grantSoon is grant with an answer in any case: at once while the database is
// known to be away, and before long when it does not answer.
func (a *API) grantSoon(r *http.Request) (*mariadb.Grant, error) {
	if err := a.store.Usable(); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(r.Context(), grantTime)
	defer cancel()
	g, err := a.grant(r.WithContext(ctx))
	if mariadb.Away(err) && r.Context().Err() == nil {
		a.store.SawAway(err)
		return nil, a.store.Usable()
	}
	return g, err
}

func (a *API) grant(r *http.Request) (*mariadb.Grant, error) {
	if auth := r.Header.Get("Authorization"); auth != "" {
		text, ok := strings.CutPrefix(auth, "Bearer ")
		if !ok {
			return nil, fault.New(fault.Unauthorized, "the Authorization header must be: Bearer TOKEN")
		}
		return a.store.GrantOfToken(r.Context(), strings.TrimSpace(text))
	}
	if r.Method == http.MethodPost && r.URL.Path == "/api/session" {
		return &mariadb.Grant{Scope: mariadb.ScopeBuild}, nil
	}
	c, err := r.Cookie(sessionCookie)
	if err != nil {
		return nil, fault.New(fault.Unauthorized, "sign in first: open a sign-in link (firethorn person link NAME prints one), or send Authorization: Bearer TOKEN")
	}
	return a.store.GrantOfSession(r.Context(), c.Value)
}

func grantOf(ctx context.Context) *mariadb.Grant {
	g, ok := ctx.Value(grantKey{}).(*mariadb.Grant)
	if !ok {
		return &mariadb.Grant{}
	}
	return g
}

// may answers whether who asks may do something to a project ("": to all).
func (a *API) may(ctx context.Context, need action, project string) error {
	g := grantOf(ctx)
	for _, can := range allows[g.Scope] {
		if can != need {
			continue
		}
		if g.Project == 0 || need == anyone {
			return nil
		}
		if project != "" {
			p, err := a.store.Project(ctx, project)
			if err != nil {
				return err
			}
			if p.ID == g.Project {
				return nil
			}
		}
		return fault.New(fault.Forbidden, "this token is good for one project only, and not for this")
	}
	return fault.New(fault.Forbidden, "a token of scope %s may not do this", g.Scope)
}

// allowed says whether the scope of who asks may do something.
func (a *API) allowed(ctx context.Context, need action) bool {
	return slices.Contains(allows[grantOf(ctx).Scope], need)
}

// actor is whose name stands in the history.
func actor(ctx context.Context) mariadb.Actor {
	g := grantOf(ctx)
	if g.Person != nil {
		return mariadb.Actor{Kind: "person", Name: g.Person.Name}
	}
	return mariadb.Actor{Kind: "token", Name: g.Label}
}

// checkHost refuses names that are not ours, so that a foreign name pointed at
// this address gets nothing (DNS rebinding).
func (a *API) checkHost(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		host = strings.Trim(host, "[]")
		ip := net.ParseIP(host)
		if host != a.public.Hostname() && host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			web.WriteError(w, r, a.log, fault.New(fault.Forbidden, "this service is not called %s; start it with --public-url if it should be", host))
			return
		}
		next.ServeHTTP(w, r)
	})
}
