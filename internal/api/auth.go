package api

import (
	"context"
	"errors"
	"net"
	"net/http"
	"strings"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/web"
)

// action is what somebody wants to do: a permission, or one of the two that
// need none.
type action = accounts.Permission

const (
	anyone     action = "anyone"  // whoever is known
	signIn     action = "sign-in" // open a session by a link: whoever has the link
	see               = accounts.ReadIssues
	seeEvents         = accounts.ReadEvents
	mayTriage         = accounts.TriageIssues
	pushSymbol        = accounts.PushSymbols
	announce          = accounts.AnnounceReleases
	checkRules        = accounts.CheckRules
	pushRules         = accounts.PushRules
	administer        = accounts.Administer
)

type grantKey struct{}

// authenticate finds out who asks, by token or cookie. Only opening a session
// by a sign-in link passes without either.
func (a *API) authenticate(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		g, err := a.grantSoon(r)
		if err != nil {
			if f, ok := errors.AsType[*fault.Error](err); ok && f.Code == fault.Unauthorized &&
				r.Header.Get("Authorization") != "" {
				err = a.wrongSecret(r, "token", err)
			}
			web.WriteError(w, r, a.log, err)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), grantKey{}, g)))
	})
}

// wrongSecret notes a wrong secret: in the log with the address and never the
// secret, in the metrics, and against the address. It gives the error to answer
// with.
func (a *API) wrongSecret(r *http.Request, what string, err error) error {
	from := web.Sender(r)
	count, burst := a.guesses.wrong(r.Context(), from)
	if count <= loggedGuesses || count%100 == 0 {
		a.log.Warn("a wrong "+what+" was sent", "address", from, "wrong_so_far", count, "method", r.Method, "path",
			r.URL.Path)
	}
	if a.watch != nil {
		a.watch.WrongSecret(what)
	}
	if burst != nil {
		return burst
	}
	return err
}

// The cookie of a browser's session. Under https its name makes browsers refuse
// it from other hosts and over plain http (RFC 6265bis, section 4.1.3.2).
const (
	plainSessionCookie  = "firethorn_session"
	secureSessionCookie = "__Host-firethorn_session"
)

// sessionCookieName is the name of the cookie that a request would carry: the
// secure one wherever it is there.
func sessionCookieName(r *http.Request) string {
	if _, err := r.Cookie(secureSessionCookie); err == nil {
		return secureSessionCookie
	}
	return plainSessionCookie
}

// grantTime is how long finding out who asks may take.
const grantTime = 3 * time.Second

// grantSoon is grant with an answer in any case: at once while the database is
// known to be away, and before long when it does not answer.
func (a *API) grantSoon(r *http.Request) (*accounts.Grant, error) {
	if err := a.store.Inbox.Usable(); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(r.Context(), grantTime)
	defer cancel()
	g, err := a.grant(r.WithContext(ctx))
	if db.Away(err) && r.Context().Err() == nil {
		a.store.Inbox.SawAway(err)
		return nil, a.store.Inbox.Usable()
	}
	return g, err
}

func (a *API) grant(r *http.Request) (*accounts.Grant, error) {
	if auth := r.Header.Get("Authorization"); auth != "" {
		text, ok := strings.CutPrefix(auth, "Bearer ")
		if !ok {
			return nil, fault.New(fault.Unauthorized, "the Authorization header must be: Bearer TOKEN")
		}
		return a.store.Accounts.GrantOfToken(r.Context(), strings.TrimSpace(text))
	}
	if r.Method == http.MethodPost && r.URL.Path == "/api/session" {
		return &accounts.Grant{Permissions: []accounts.Permission{signIn}}, nil
	}
	c, err := r.Cookie(sessionCookieName(r))
	if err != nil {
		return nil, fault.New(fault.Unauthorized, "sign in first: open a sign-in link (firethorn person link NAME prints one), or send Authorization: Bearer TOKEN")
	}
	return a.store.Accounts.GrantOfSession(r.Context(), c.Value)
}

func grantOf(ctx context.Context) *accounts.Grant {
	g, ok := ctx.Value(grantKey{}).(*accounts.Grant)
	if !ok {
		return &accounts.Grant{}
	}
	return g
}

// may answers whether who asks may do something to a project ("": to all).
func (a *API) may(ctx context.Context, need action, project string) error {
	g := grantOf(ctx)
	if need == anyone {
		return nil
	}
	if !g.Allows(need) {
		return fault.New(fault.Forbidden, "this needs the permission %s; this %s has %s", need, grantKind(g),
			permissionList(g))
	}
	if g.Project == 0 {
		return nil
	}
	if project != "" {
		p, err := a.store.Projects.Project(ctx, project)
		if err != nil && !isNotFound(err) {
			return err
		}
		if err == nil && p.ID == g.Project {
			return nil
		}
	}
	return fault.New(fault.Forbidden, "this token is good for one project only, and not for this")
}

func isNotFound(err error) bool {
	f, ok := errors.AsType[*fault.Error](err)
	return ok && f.Code == fault.NotFound
}

func grantKind(g *accounts.Grant) string {
	if g.Token == 0 {
		return "session"
	}
	return "token"
}

func permissionList(g *accounts.Grant) string {
	if len(g.Permissions) == 0 {
		return "none"
	}
	var all []string
	for _, p := range g.Permissions {
		all = append(all, string(p))
	}
	return strings.Join(all, ", ")
}

// allowed says whether who asks has a permission.
func (a *API) allowed(ctx context.Context, need action) bool { return grantOf(ctx).Allows(need) }

// actor is who stands in the history.
func actor(ctx context.Context) accounts.Actor {
	g := grantOf(ctx)
	if g.Person != nil {
		return accounts.Actor{Kind: "person", ID: g.Person.ID, Name: g.Person.Name}
	}
	return accounts.Actor{Kind: "token", ID: g.Token, Name: g.Label}
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
