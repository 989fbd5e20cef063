// Package desk is the roster desk of bosun: it reports by Firethorn's own
// client, and is broken on purpose like the rest.
package desk

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"sync"
	"time"

	firethorn "firethorn.example/client"
)

// Breaks are the requests that end badly, each in its own way: an error with
// its cause, a panic, and a desk that waits for itself.
var Breaks = []string{"/roster?week=53", "/radio?channel=17", "/roster?week=12"}

// Stuck is a request that never ends: the desk waits for itself.
const Stuck = "/swap?ship=Eider"

// slow is how long a request may take before it counts as hanging.
const slow = 2 * time.Second

// Report begins to report to server with key; each request is a session. The
// function it returns ends it.
func Report(server, key, release, dir string) (stop func()) {
	return firethorn.Start(firethorn.Options{Server: server, Key: key, Service: "bosun", Release: release,
		Environment: "production", Sessions: "request", Hangs: slow, Dir: dir,
		Attributes: map[string]any{"desk.name": "roster"}})
}

// Desk answers for the rosters.
type Desk struct {
	mu    sync.Mutex
	weeks [53][]string
}

// Handler answers the desk's requests; other ones are for the rest of bosun.
func (d *Desk) Handler(rest http.Handler) http.Handler {
	m := http.NewServeMux()
	m.HandleFunc("GET /roster", func(w http.ResponseWriter, r *http.Request) {
		ctx := r.Context()
		week, _ := strconv.Atoi(r.FormValue("week"))
		firethorn.Note(ctx, "app", "asked for the roster", map[string]any{"roster.week": week})
		names, err := d.roster(week)
		if err != nil {
			firethorn.Report(ctx, err,
				firethorn.Details{Handled: firethorn.True, Attributes: map[string]any{"roster.week": week}})
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		fmt.Fprintln(w, names)
	})
	m.HandleFunc("GET /radio", func(w http.ResponseWriter, r *http.Request) {
		channel, _ := strconv.Atoi(r.FormValue("channel"))
		fmt.Fprintln(w, channels[channel])
	})
	m.HandleFunc("GET /swap", func(w http.ResponseWriter, r *http.Request) { d.swap(r.Context(), r.FormValue("ship")) })
	own := firethorn.Handler(identified(m))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if _, pattern := m.Handler(r); pattern == "" {
			rest.ServeHTTP(w, r)
			return
		}
		own.ServeHTTP(w, r)
	})
}

func identified(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if who := r.Header.Get("X-Crew"); who != "" {
			firethorn.User(r.Context(), firethorn.Identity{ID: who})
		}
		next.ServeHTTP(w, r)
	})
}

var channels = [16]string{6: "bridge to bridge", 12: "harbour"}

var errNoWeek = errors.New("no such week")

// PrintError says what could not be printed.
type PrintError struct {
	What string
	Err  error
}

func (e *PrintError) Error() string { return e.What + " could not be printed" }
func (e *PrintError) Unwrap() error { return e.Err }

func (d *Desk) roster(week int) ([]string, error) {
	if week >= len(d.weeks) {
		return nil, &PrintError{"the roster", firethorn.Here(fmt.Errorf("week %d: %w", week, errNoWeek))}
	}
	return d.weeks[week], nil
}

// swap lets two crews change places: it takes the desk's lock twice.
func (d *Desk) swap(ctx context.Context, ship string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	firethorn.Note(ctx, "app", "swapping the crews of "+ship)
	d.give(ship)
}

func (d *Desk) give(string) {
	d.mu.Lock()
	defer d.mu.Unlock()
}
