package calls

import (
	"context"
	"errors"
	"net"
	"net/http"
	"strings"
	"time"

	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/audit"
	"firethorn/internal/web"
)

// Action is what a caller wants to do: a permission, or one of the two that
// need none.
type Action = access.Permission

const (
	Anyone Action = "anyone"  // who is known
	SignIn Action = "sign-in" // open a session by a link: who has the link
)

type grantKey struct{}

// Authenticate finds out who asks, by token or cookie. Only opening a session
// by a sign-in link passes without either.
func (a *Frame) Authenticate(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		g, err := a.GrantSoon(r)
		if err != nil {
			if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.Unauthorized &&
				r.Header.Get("Authorization") != "" {
				err = a.WrongSecret(r, "token", err)
			}
			web.WriteError(w, r, a.Log, err)
			return
		}
		secret, err := a.Store.Accounts.Rotate(r.Context(), g)
		if err != nil {
			web.WriteError(w, r, a.Log, err)
			return
		}
		if secret != "" {
			c := a.SessionCookie(secret, int(accounts.SessionLife.Seconds()))
			http.SetCookie(w, &c)
		}
		ctx := context.WithValue(r.Context(), grantKey{}, g)
		again := func(ctx context.Context) (*accounts.Grant, error) { return a.GrantSoon(r.WithContext(ctx)) }
		ctx = context.WithValue(ctx, askKey{}, again)
		next.ServeHTTP(w, r.WithContext(audit.By(ctx, whoAsks(g, r))))
	})
}

// whoAsks is the caller as the audit log names them.
func whoAsks(g *accounts.Grant, r *http.Request) audit.Who {
	who := audit.Who{Kind: "nobody", Address: web.Sender(r)}
	switch {
	case g.Person != nil:
		who.Kind, who.ID, who.Name = "person", g.Person.ID, g.Person.Name
	case g.TokenID != 0:
		who.Kind, who.ID, who.Name = "token", g.TokenID, g.Label
	}
	return who
}

// WrongSecret notes a wrong secret: in the log with the address and never the
// secret, in the metrics, and against the address. It gives the error to answer
// with.
func (a *Frame) WrongSecret(r *http.Request, what string, err error) error {
	from := web.Sender(r)
	count, burst := a.guesses.wrong(r.Context(), from)
	if count <= loggedGuesses || count%100 == 0 {
		a.Log.Warn("a wrong "+what+" was sent", "address", from, "wrong_so_far", count, "method", r.Method, "path",
			r.URL.Path)
		ctx := audit.By(r.Context(), audit.Who{Kind: "nobody", Address: from})
		if err := a.Store.Audit.Note(ctx, audit.Act{Action: "refused", Target: "a wrong " + what,
			After: map[string]int{"so_far": count}}); err != nil {
			a.Log.Warn("a refusal could not be written into the audit", "err", err)
		}
	}
	if a.Watch != nil {
		a.Watch.WrongSecret(what)
	}
	if burst != nil {
		return burst
	}
	return err
}

// The cookie of a browser's session. Under https its name makes browsers refuse
// it from other hosts and over plain http (RFC 6265bis, section 4.1.3.2).
const (
	PlainSessionCookie  = "firethorn_session"
	SecureSessionCookie = "__Host-firethorn_session"
)

// SessionCookie is the cookie of a session, for so many seconds; less than 0: it goes.
func (a *Frame) SessionCookie(secret string, seconds int) http.Cookie {
	c := http.Cookie{Name: PlainSessionCookie, Value: secret, Path: "/", MaxAge: seconds, HttpOnly: true,
		SameSite: http.SameSiteLaxMode}
	if a.Public.Scheme == "https" {
		c.Name, c.Secure = SecureSessionCookie, true
	}
	return c
}

// sessionCookieName is the name of the cookie that a request would carry: the
// secure one wherever it is there.
func sessionCookieName(r *http.Request) string {
	if _, err := r.Cookie(SecureSessionCookie); err == nil {
		return SecureSessionCookie
	}
	return PlainSessionCookie
}

// grantTime is how long finding out who asks may take.
const grantTime = 3 * time.Second

// GrantSoon is grant with an answer in any case: at once while the database is
// known to be away, and before long when it does not answer.
func (a *Frame) GrantSoon(r *http.Request) (*accounts.Grant, error) {
	if err := a.Store.Inbox.Usable(); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(r.Context(), grantTime)
	defer cancel()
	g, err := a.grant(r.WithContext(ctx))
	if db.Away(err) && r.Context().Err() == nil {
		a.Store.Inbox.SawAway(err)
		return nil, a.Store.Inbox.Usable()
	}
	return g, err
}

func (a *Frame) grant(r *http.Request) (*accounts.Grant, error) {
	if auth := r.Header.Get("Authorization"); auth != "" {
		text, ok := strings.CutPrefix(auth, "Bearer ")
		if !ok {
			return nil, problem.New(problem.Unauthorized, "the Authorization header must be: Bearer TOKEN")
		}
		return a.Store.Accounts.GrantOfToken(r.Context(), strings.TrimSpace(text), web.Sender(r))
	}
	if r.Method == http.MethodPost && r.URL.Path == "/api/session" {
		return &accounts.Grant{}, nil
	}
	c, err := r.Cookie(sessionCookieName(r))
	if err != nil {
		return nil, problem.New(problem.Unauthorized,
			"sign in first: open a sign-in link (firethorn person link NAME prints one), or send Authorization: Bearer TOKEN")
	}
	return a.Store.Accounts.GrantOfSession(r.Context(), c.Value, web.Sender(r))
}

// GrantOf is the caller's permissions; none if the caller is unknown.
func GrantOf(ctx context.Context) *accounts.Grant {
	g, ok := ctx.Value(grantKey{}).(*accounts.Grant)
	if !ok {
		return &accounts.Grant{}
	}
	return g
}

// Actor is the caller as the history names them.
func Actor(ctx context.Context) accounts.Actor {
	g := GrantOf(ctx)
	if g.Person != nil {
		return accounts.Actor{Kind: "person", ID: g.Person.ID, Name: g.Person.Name}
	}
	return accounts.Actor{Kind: "token", ID: g.TokenID, Name: g.Label}
}

// PersonOf is the caller's person; 0: none, or a token without a person.
func PersonOf(ctx context.Context) int64 {
	if g := GrantOf(ctx); g.Person != nil {
		return g.Person.ID
	}
	return 0
}

// CheckHost refuses names that are not ours, so that a foreign name pointed at
// this address gets nothing (DNS rebinding).
func (a *Frame) CheckHost(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		host = strings.Trim(host, "[]")
		ip := net.ParseIP(host)
		if host != a.Public.Hostname() && host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			web.WriteError(w, r, a.Log, problem.New(problem.Forbidden,
				"this service is not called %s; start it with --public-url if it should be", host))
			return
		}
		next.ServeHTTP(w, r)
	})
}
