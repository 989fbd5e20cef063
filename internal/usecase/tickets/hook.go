package tickets

import (
	"context"
	"database/sql"
	"errors"
	"net/http"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/ticket"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/tickets"
)

// hookMemory is how long webhooks are known as taken.
const hookMemory = 7 * 24 * time.Hour

// errUnknownHook is the answer to a caller that does not prove to be the tracker.
var errUnknownHook = problem.New(problem.Unauthorized, "there is no tracker of this name, or the signature is not right")

// Read takes a webhook of the tracker that is called name. It lets the ticket be read now;
// what the webhook says of the ticket is not believed.
func (s *Service) Receive(ctx context.Context, name string, header http.Header, body []byte) error {
	d, err := destinations.Named(ctx, s.DB, name)
	if f, ok := errors.AsType[*problem.Error](err); ok && f.Code == problem.NotFound {
		return errUnknownHook
	}
	if err != nil {
		return err
	}
	desc, err := ticket.Parse(d.Description)
	if d.Kind != destinations.Tickets || err != nil || desc.Hook == nil {
		return errUnknownHook
	}
	now := s.DB.Now()
	heard, err := desc.Hook.Read(d.HookSecret, header.Get, body, now)
	switch {
	case errors.Is(err, ticket.ErrSignature):
		return errUnknownHook
	case err != nil:
		return problem.New(problem.BadInput, "the webhook was not taken: %s", err)
	}
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		if heard.ID != "" {
			repeated, err := tickets.TakeHook(ctx, tx, d.ID, heard.ID, now)
			if err != nil {
				return err
			}
			if repeated {
				return problem.New(problem.Conflict, "this webhook was received before; nothing was done")
			}
		}
		return tickets.Hasten(ctx, tx, d.ID, heard.Key, now)
	})
}

// Forget deletes the ids of webhooks that were received long ago.
func (s *Service) Forget(ctx context.Context) error {
	return tickets.ForgetHooks(ctx, s.DB, s.DB.Now().Add(-hookMemory))
}
