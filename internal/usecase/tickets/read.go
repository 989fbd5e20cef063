package tickets

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/ticket"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/tickets"
)

// Reading bounds how much of one tracker is read at once.
const (
	readAtOnce = 20
	lease      = time.Minute
)

// Reading lists the trackers with tickets that are to be read.
func (s *Service) Reading(ctx context.Context) ([]int64, error) {
	return tickets.Reading(ctx, s.DB, s.DB.Now())
}

// Read reads the tickets of a tracker that are due, if no other process works on it: owner
// names this one.
func (s *Service) Read(ctx context.Context, destination int64, owner uuid.UUID) (more bool, err error) {
	release, err := s.DB.HoldLease(ctx, destinations.Lease(destination), owner, lease)
	if err != nil || release == nil {
		return false, err
	}
	defer release()
	d, err := destinations.ByID(ctx, s.DB, destination)
	if err != nil || d == nil {
		return false, err
	}
	list, err := tickets.DueOf(ctx, s.DB, destination, s.DB.Now(), readAtOnce)
	if err != nil || len(list) == 0 {
		return false, err
	}
	t, err := trackerOf(ctx, d)
	for _, x := range list {
		trouble := err
		if trouble == nil {
			trouble = s.readOne(ctx, t, x)
		}
		if ctx.Err() != nil {
			return false, ctx.Err()
		}
		if trouble == nil {
			continue
		}
		if !isShown(trouble) {
			return false, trouble
		}
		poll := ticket.DefaultPoll
		if t != nil {
			poll = t.Poll
		}
		now := s.DB.Now()
		next := later(now, poll) // nothing is lost: it is read again in a while
		if err := tickets.Postpone(ctx, s.DB, x.ID, next, publicText(trouble)); err != nil {
			return false, err
		}
		if away(trouble) { // the others would only wait for it in vain
			return false, tickets.PostponeAll(ctx, s.DB, destination, now, next)
		}
	}
	return len(list) == readAtOnce, nil
}

// away says whether a tracker did not answer, or does not answer anything now.
func away(err error) bool {
	if r, ok := errors.AsType[*ticket.Refused](err); ok {
		return !alert.Final(r.Status)
	}
	_, changed := errors.AsType[*ticket.Changed](err)
	return !changed
}

// isShown says whether an error is shown at the ticket: the tracker has it, or the
// description. Others are the service's own.
func isShown(err error) bool {
	_, called := errors.AsType[*callError](err)
	_, known := errors.AsType[*problem.Error](err)
	return called || known
}

// publicText is what people may read of an error.
func publicText(err error) string {
	if f, ok := errors.AsType[*problem.Error](err); ok {
		return f.Pub
	}
	return err.Error()
}

// readOne reads a ticket and its comments, and lets its issues follow.
func (s *Service) readOne(ctx context.Context, t *tracker, x *tickets.Ticket) error {
	if err := tickets.Claim(ctx, s.DB, x.ID, s.DB.Now().Add(lease)); err != nil {
		return err
	}
	now, err := t.look(x.Ticket)
	if gone(err) {
		return s.vanished(ctx, t, x.ID, err)
	}
	if err != nil {
		return err
	}
	err = s.DB.InTx(ctx, func(tx *sql.Tx) error {
		y, ids, err := s.lock(ctx, tx, x.ID)
		if err != nil || y == nil {
			return err
		}
		_, err = s.applyRead(ctx, tx, t, y, now, ids)
		return err
	})
	if err != nil || t.Ops[ticket.CommentsOf] == nil || !t.Follow[ticket.Comments] {
		return err
	}
	return s.comments(ctx, t, x.ID, cmp.Or(now.Key, x.Key), false)
}

// look reads a ticket from its tracker. before is what is known of it.
func (t *tracker) look(before ticket.Ticket) (ticket.Ticket, error) {
	got, err := t.run(ticket.Read, ticket.Values{"key": before.Key})
	if err != nil {
		return before, err
	}
	return t.TicketOf(got, before), nil
}

// maxComments is how many comments of a ticket are taken over at once.
const maxComments = 200

// comments takes over what was written in the tracker. With seen nothing is taken over: what
// is there now counts as known.
func (s *Service) comments(ctx context.Context, t *tracker, id int64, key string, seen bool) error {
	got, err := t.run(ticket.CommentsOf, ticket.Values{"key": key})
	if err != nil {
		return err
	}
	got = got[max(0, len(got)-maxComments):]
	keys := make([]string, len(got))
	for i, c := range got {
		keys[i] = c["comment_id"]
	}
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		x, ids, err := s.lock(ctx, tx, id)
		if err != nil || x == nil {
			return err
		}
		fresh, err := tickets.NewComments(ctx, tx, id, keys)
		if err != nil || seen {
			return err
		}
		for i, c := range got {
			if !fresh[keys[i]] || ticket.OurOwn(c["text"]) {
				continue
			}
			fresh[keys[i]] = false // should a list have it twice
			for _, is := range ids {
				if _, err := s.Triage.AddCommentIn(ctx, tx, is, ticket.Quoted(c["author"], c["text"], x.Key),
					t.actor(), 0); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
