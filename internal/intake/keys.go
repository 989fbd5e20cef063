package intake

import (
	"context"
	"net/http"
	"strings"
	"time"

	"firethorn/internal/cache"
	"firethorn/internal/core/problem"
	"firethorn/internal/db"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
)

// known is something that was asked of the store a moment ago.
type known[T any] struct {
	value T
	at    time.Time
}

const (
	keyLife  = 3 * time.Second // how long a good key and its project's rules are believed without asking again
	askTime  = 3 * time.Second // how long asking may take
	keysHeld = 8 << 20         // bytes of what is remembered of keys, and of services
)

// grant finds what the request's key gives access to.
func (in *Intake) grant(r *http.Request) (*projects.KeyGrant, error) {
	key := r.URL.Query().Get("key")
	if auth := r.Header.Get("Authorization"); auth != "" {
		bearer, ok := strings.CutPrefix(auth, "Bearer ")
		if !ok {
			return nil, problem.New(problem.Unauthorized, "the Authorization header must be: Bearer KEY")
		}
		key = strings.TrimSpace(bearer)
	}
	if key == "" {
		return nil, problem.New(problem.Unauthorized, "an ingest key is missing: send Authorization: Bearer KEY, or ?key=KEY")
	}
	return remembered(in, in.keys, key, func() (g *projects.KeyGrant, err error) {
		err = in.ask(r.Context(), func(ctx context.Context) error {
			g, err = in.projects.GrantOfKey(ctx, key)
			return err
		})
		return g, err
	})
}

// ask runs what a request asks of the database before it appends, for askTime
// at most: a database that hangs refuses nothing, and would hold up every
// sender for as long as a statement may take. The next ones are told at once.
func (in *Intake) ask(ctx context.Context, fn func(context.Context) error) error {
	within, cancel := context.WithTimeout(ctx, askTime)
	defer cancel()
	err := fn(within)
	if db.Away(err) && ctx.Err() == nil {
		in.inbox.SawAway(err)
	}
	return err
}

// remembered asks for a thing unless it was asked for a moment ago.
func remembered[T any](in *Intake, all *cache.Cache[string, known[T]], key string, ask func() (T, error)) (T, error) {
	if k, ok := all.Get(key); ok && in.now().Sub(k.at) < keyLife {
		return k.value, nil
	}
	v, err := ask()
	if err != nil {
		return v, err
	}
	all.Put(key, known[T]{v, in.now()})
	return v, nil
}

// newKnown holds what was asked lately; project is about what one takes.
func newKnown[T any]() *cache.Cache[string, known[T]] {
	const project = 1000
	return cache.New(keysHeld, func(key string, _ known[T]) int { return len(key) + project })
}

// route finds the project that service.name names; where that is none, or one
// too many, events stay in the key's own.
func (in *Intake) route(ctx context.Context, home *projects.Project, service string) (*projects.Project, error) {
	name := projectName(service)
	if name == "" || name == home.Name {
		return home, nil
	}
	return remembered(in, in.names, home.Name+"/"+name, func() (p *projects.Project, err error) {
		var ok bool
		err = in.ask(ctx, func(ctx context.Context) error {
			p, ok, err = in.router.RouteProject(ctx, home, name)
			return err
		})
		if err == nil && !ok {
			in.tallies.add(home.ID, in.now(), refusal{inbox.CauseCapped, "projects", 1, "service.name " + name})
			return home, nil
		}
		return p, err
	})
}

// projectName makes a project's name of a service's: small letters, digits,
// dashes.
func projectName(service string) string {
	b := []byte(strings.ToLower(strings.TrimSpace(service)))
	for i, c := range b {
		if (c < 'a' || c > 'z') && (c < '0' || c > '9') {
			b[i] = '-'
		}
	}
	return strings.Trim(string(b[:min(len(b), 60)]), "-")
}
