// Package alerting turns alerts into messages: it plans deliveries by the alert rules, sends
// them, and records each result.
//
// Reading order: plan.go (occurrences become deliveries), ask.go (rules are asked about what
// time and people cause), receivers.go (who gets a message), message.go (what it says),
// send.go (tries, pauses), channels.go (how each kind is sent), digest.go (held messages in
// one), clock.go (what time causes).
package alerting

import (
	"context"
	"crypto/x509"
	"log/slog"
	"math/rand/v2"
	"strings"
	"time"

	"firethorn/internal/db"
	"firethorn/internal/outgoing"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/releases"
	"firethorn/internal/usecase/health"
)

// Service plans and sends. It is safe for concurrent use.
type Service struct {
	Needs
	public string // where people reach the console, without a slash at the end
}

// Needs are what the service works with.
type Needs struct {
	DB       *db.DB
	Accounts *accounts.Store
	Events   *events.Store
	Issues   *issues.Store
	Projects *projects.Store
	Releases *releases.Store
	Health   *health.Service
	Tickets  Tickets
	Log      *slog.Logger
	// Jitter gives a number from 0 to 1 by which tries are spread; nil: at random.
	Jitter func() float64
	// Roots are whose certificates are taken; nil: those that the system knows.
	Roots *x509.CertPool
}

// New makes a service.
func New(n Needs) *Service {
	if n.Jitter == nil {
		n.Jitter = rand.Float64
	}
	if n.Log == nil {
		n.Log = slog.New(slog.DiscardHandler)
	}
	return &Service{Needs: n}
}

// ReachedAt says where people reach the console; links in messages begin so.
func (s *Service) ReachedAt(url string) { s.public = strings.TrimSuffix(url, "/") }

// outside is a client for a destination.
func (s *Service) outside(allow string) *outgoing.Client {
	return outgoing.New(outgoing.Options{Allow: allow, Timeout: 10 * time.Second, MaxAnswer: 64 << 10, Roots: s.Roots})
}

// Reader reads kept events.
type Reader func(ctx context.Context, p *projects.Project, body []byte) (*pipeline.Kept, error)

// ReaderOf reads kept events by the symbols there are.
func ReaderOf(units *pipeline.Units) Reader {
	return func(ctx context.Context, p *projects.Project, body []byte) (*pipeline.Kept, error) {
		return pipeline.Observe(ctx, p.Project, body, units)
	}
}
