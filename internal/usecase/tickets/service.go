// Package tickets keeps tickets of trackers and their issues in step.
//
// Reading order: service.go (what it works with), send.go (messages to a tracker), read.go
// (what the tracker says), follow.go (which side follows), hook.go (webhooks of trackers),
// tie.go (people tie and untie).
package tickets

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"net/url"
	"strings"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/ticket"
	"firethorn/internal/db"
	"firethorn/internal/outgoing"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/status"
	"firethorn/internal/usecase/triage"
)

// Service makes tickets and keeps them in step. It is safe for concurrent use.
type Service struct {
	Needs
	public string // where people reach the console, without a slash at the end
}

// Needs are what the service works with.
type Needs struct {
	DB       *db.DB
	Issues   *issues.Store
	Projects *projects.Store
	Status   *status.Service
	Triage   *triage.Service
	Log      *slog.Logger
}

// New makes a service.
func New(n Needs) *Service {
	if n.Log == nil {
		n.Log = slog.New(slog.DiscardHandler)
	}
	return &Service{Needs: n}
}

// ReachedAt says where people reach the console; links in tickets begin so.
func (s *Service) ReachedAt(url string) { s.public = strings.TrimSuffix(url, "/") }

// Call times and sizes.
const (
	callTime  = 10 * time.Second
	maxAnswer = 1 << 20 // a list of comments may be long
)

// tracker is a destination with its description read.
type tracker struct {
	*destinations.Destination
	*ticket.Description
	send ticket.Sender
}

// trackerOf reads how a destination is used.
func trackerOf(ctx context.Context, d *destinations.Destination) (*tracker, error) {
	desc, err := ticket.Parse(d.Description)
	if err != nil {
		return nil, problem.New(problem.BadInput, "the description of %s is not understood: %s", d.Name, err)
	}
	client := outgoing.New(outgoing.Options{Allow: d.AllowInside, Timeout: callTime, MaxAnswer: maxAnswer})
	return &tracker{d, desc, func(r ticket.Request) (ticket.Answer, error) {
		header := http.Header{}
		for name, value := range r.Header {
			header.Set(name, value)
		}
		a, err := client.Do(ctx, r.Method, strings.TrimSuffix(d.URL, "/")+r.URL, header, r.Body)
		return ticket.Answer{Status: a.Status, RetryAfter: a.Header.Get("Retry-After"), Body: a.Body}, err
	}}, nil
}

// run makes the calls of an operation.
func (t *tracker) run(name string, v ticket.Values) (ticket.Taken, error) {
	all := ticket.Values{"secret": t.Secret}
	maps.Copy(all, v)
	got, err := t.Description.Run(name, all, t.send)
	if err != nil {
		return nil, &callError{err}
	}
	return got, nil
}

// callError is an error of a tracker, or of the way there; others are our own.
type callError struct{ error }

func (e *callError) Unwrap() error { return e.error }

// actor is who did what a ticket did.
func (t *tracker) actor() accounts.Actor {
	return accounts.Actor{Kind: accounts.Tracker, ID: t.ID, Name: t.Name}
}

// gone says that the tracker does not show a ticket any more.
func gone(err error) bool {
	r, ok := errors.AsType[*ticket.Refused](err)
	return ok && r.Gone()
}

// issueAt is the address of an issue in the console, and how it is called; "" where it is gone.
func (s *Service) issueAt(ctx context.Context, id int64) (at, name string, err error) {
	is, err := s.Issues.ByID(ctx, id)
	if err != nil || is == nil {
		return "", "", err
	}
	return fmt.Sprintf("%s/p/%s/issues/%d", s.public, url.PathEscape(is.Project), is.Number),
		fmt.Sprintf("%s/%d", is.Project, is.Number), nil
}
