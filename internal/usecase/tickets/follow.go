package tickets

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/ticket"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/tickets"
	"firethorn/internal/usecase/status"
)

// applyRead takes in what the tracker says of a ticket, which is locked, and lets its issues follow
// where they are to. It gives the step that is left: one that is to be written there.
func (s *Service) applyRead(ctx context.Context, tx *sql.Tx, t *tracker, x *tickets.Ticket, now ticket.Ticket,
	ids []int64) (ticket.Step, error) {
	at := s.DB.Now()
	if now.Key != "" && now.Key != x.Key {
		if err := s.moved(ctx, tx, t, x, now.Key, ids); err != nil {
			return ticket.Step{}, err
		}
	}
	now.Key = x.Key
	x.Ticket = now
	x.Sides = x.Sides.WithRead(now.State, now.Changed, at)
	x.Gone, x.Read = false, at
	if x.Due.After(at) { // otherwise a webhook came while it was read: it may have changed since
		x.Due = at.Add(pollOf(t, x.Sides, at))
	}
	if !x.Refused.Equal(x.OursAt) || x.Next(t.Follow).Write != ticket.There {
		x.Trouble = ""
	}
	if now.State == ticket.Unknown {
		x.Trouble = fmt.Sprintf("the state %q is neither open nor closed in the description of %s", now.StateName, t.Name)
	}
	step := x.Next(t.Follow)
	if err := tickets.Save(ctx, tx, x, toWrite(x, step)); err != nil || step.Write != ticket.Here {
		return step, err
	}
	for _, id := range ids {
		if err := s.follow(ctx, tx, t, x, id, step); err != nil {
			return step, err
		}
	}
	return ticket.Step{}, nil
}

// follow lets an issue do what its ticket did. One that is so already, or has another ticket
// that is open, stays as it is.
func (s *Service) follow(
	ctx context.Context,
	tx *sql.Tx,
	t *tracker,
	x *tickets.Ticket,
	id int64,
	step ticket.Step,
) error {
	is, err := s.Issues.ByID(ctx, id)
	if err != nil || is == nil {
		return err
	}
	closed := is.State == issue.Fixed || is.State == issue.Dismissed
	if closed == (step.State == ticket.Closed) {
		return tickets.Changed(ctx, tx, id, t.ID, s.DB.Now())
	}
	why := fmt.Sprintf("ticket %s was reopened in %s", x.Key, t.Name)
	action := issue.Action{Verb: issue.Reopen}
	if step.State == ticket.Closed {
		open, err := s.otherOpen(ctx, tx, id, x.ID)
		if err != nil || open {
			return err
		}
		why = fmt.Sprintf("ticket %s was closed in %s (%s)", x.Key, t.Name, x.StateName)
		action = issue.Action{Verb: issue.Fixing, Fix: issue.Fix{Kind: issue.FixNext}}
		if x.FixedIn != "" {
			action.Fix = issue.Fix{Kind: issue.FixRelease, FixedIn: x.FixedIn}
		}
	}
	if step.Both {
		why += ", after the last change here"
	}
	err = s.Triage.ActIn(ctx, tx, id, action, why, t.actor())
	if f, ok := errors.AsType[*problem.Error](err); ok { // as it stands it cannot follow
		return tickets.SetTrouble(ctx, tx, x.ID, "the issue did not follow the ticket: "+f.Pub)
	}
	return err
}

// otherOpen says whether another ticket of an issue is open: the issue is fixed when all are
// closed.
func (s *Service) otherOpen(ctx context.Context, tx *sql.Tx, id, but int64) (bool, error) {
	all, err := tickets.OfIssue(ctx, tx, id)
	for _, x := range all {
		if x.ID != but && !x.Gone && x.Theirs != ticket.Closed {
			return true, err
		}
	}
	return false, err
}

// moved notes that a ticket has another key now.
func (s *Service) moved(ctx context.Context, tx *sql.Tx, t *tracker, x *tickets.Ticket, key string, ids []int64) error {
	done, err := tickets.Rekey(ctx, tx, x.ID, key)
	if err != nil || !done {
		return err
	}
	was := x.Key
	x.Key = key
	return s.record(ctx, tx, ids, t.actor(), fmt.Sprintf("ticket %s is %s now in %s", was, key, t.Name))
}

// vanished notes that a tracker does not show a ticket any more: it is not asked for again.
func (s *Service) vanished(ctx context.Context, t *tracker, id int64, why error) error {
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		x, ids, err := s.lock(ctx, tx, id)
		if err != nil || x == nil || x.Gone {
			return err
		}
		x.Gone, x.Read = true, s.DB.Now()
		x.Trouble = fmt.Sprintf("%s does not show the ticket any more: %s", t.Name, why)
		if err := tickets.Save(ctx, tx, x, false); err != nil {
			return err
		}
		return s.record(
			ctx,
			tx,
			ids,
			t.actor(),
			fmt.Sprintf("ticket %s is gone from %s, or may not be seen", x.Key, t.Name),
		)
	})
}

// lock locks the projects of a ticket's issues and the ticket; nil when it is tied to nothing
// any more.
func (s *Service) lock(ctx context.Context, tx *sql.Tx, id int64) (*tickets.Ticket, []int64, error) {
	ids, err := tickets.Issues(ctx, tx, id)
	if err != nil || len(ids) == 0 {
		return nil, nil, err
	}
	for _, i := range ids { // in the order of decisions: the project, then what hangs on it
		if _, _, err := s.Status.Lock(ctx, tx, i); err != nil {
			return nil, nil, err
		}
	}
	x, err := tickets.Lock(ctx, tx, id)
	return x, ids, err
}

// Ticketed is the kind of an entry of a history about tickets.
const Ticketed issue.Kind = "ticket"

// record writes into the histories of issues.
func (s *Service) record(ctx context.Context, tx *sql.Tx, ids []int64, who accounts.Actor, words string) error {
	for _, id := range ids {
		project, _, err := s.Status.Lock(ctx, tx, id)
		if err != nil {
			return err
		}
		if err := s.Status.Record(ctx, tx, project, id, status.HistoryLine{Who: who,
			Entry: issue.Entry{Kind: Ticketed, Text: words}}); err != nil {
			return err
		}
		if err := projects.Touch(ctx, tx, project); err != nil {
			return err
		}
	}
	return nil
}

// Tickets that are closed on both sides for settled are read once a day only.
const (
	settled = 7 * 24 * time.Hour
	seldom  = 24 * time.Hour
)

// pollOf is in how long a ticket is read again.
func pollOf(t *tracker, s ticket.Sides, now time.Time) time.Duration {
	if s.Ours == ticket.Closed && s.Theirs == ticket.Closed && now.Sub(s.AgreedAt) > settled {
		return seldom
	}
	return t.Poll
}

// later is when a ticket is read again that could not be read.
func later(now time.Time, poll time.Duration) time.Time { return now.Add(min(poll, 10*time.Minute)) }
