package alerting

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/http"
	"time"

	"firethorn/internal/core/alert"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/ticket"
	"firethorn/internal/outgoing"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/alerts"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
	"firethorn/internal/usecase/tickets"
)

// Tickets carries out messages to trackers.
type Tickets interface {
	Send(ctx context.Context, d *destinations.Destination, x *deliveries.Delivery, m alert.Message, again bool) (
		string, error)
	OpenTicket(ctx context.Context, d *destinations.Destination, issue int64) (string, error)
	Tracker(ctx context.Context, project, name string) (*destinations.Destination, error)
}

// ticket sends a message to a tracker.
func (s *Service) ticket(
	ctx context.Context,
	d *destinations.Destination,
	x *deliveries.Delivery,
	m alert.Message,
	again bool,
) result {
	said, err := s.Tickets.Send(ctx, d, x, m, again)
	r := result{answer: said, err: err}
	if err == nil {
		r.status = http.StatusOK // of each call
	}
	if f, ok := errors.AsType[*ticket.Refused](err); ok {
		r.status, r.final = f.Status, alert.Final(f.Status)
		r.after = alert.RetryAfter(f.RetryAfter, time.Now())
	}
	_, changed := errors.AsType[*ticket.Changed](err)
	r.final = r.final || changed || errors.Is(err, tickets.ErrOver) || errors.Is(err, outgoing.ErrInside)
	return r
}

// whyNoTicket says why an alert makes no ticket: there is an open one, or more were made than
// the rule allows. "": it makes one.
func (s *Service) whyNoTicket(ctx context.Context, tx *sql.Tx, d *destinations.Destination, issue int64,
	best alert.Decision) (string, error) {
	if issue == 0 {
		return "a ticket needs an issue, and this message has none", nil
	}
	key, err := s.Tickets.OpenTicket(ctx, d, issue)
	if err != nil || key != "" {
		return "the issue has the open ticket " + key, err
	}
	making, err := deliveries.Making(ctx, tx, d.ID, issue)
	if err != nil || making {
		return "a ticket is being made", err
	}
	if best.Did == alert.Hold && best.Reason != alert.QuietHours { // a ticket disturbs nobody at night
		return fmt.Sprintf("%s; make one with: firethorn issue ticket ID --in '%s'", best.Reason, d.Name), nil
	}
	return "", nil
}

// MakeTicket makes a ticket for an issue, and tries it at once. Where the tracker does not
// take it, it is tried again as other messages are. With another it makes one beside an open
// one.
func (s *Service) MakeTicket(ctx context.Context, is *issues.Issue, name string, another bool, who accounts.Actor,
	read Reader) (deliveries.Row, error) {
	d, err := s.Tickets.Tracker(ctx, is.Project, name)
	if err != nil {
		return deliveries.Row{}, err
	}
	p, err := s.Projects.Project(ctx, is.Project)
	if err != nil {
		return deliveries.Row{}, err
	}
	var x *deliveries.Delivery
	err = s.DB.InTx(ctx, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		if !another {
			if why, err := s.whyNoTicket(ctx, tx, d, is.ID, alert.Decision{}); err != nil {
				return err
			} else if why != "" {
				return problem.New(problem.Conflict, "%s in %s; --another makes a second one", why, d.Name)
			}
		}
		m, err := s.ticketOf(ctx, tx, p, is, who, read)
		if err != nil {
			return err
		}
		m.Another = another
		if x, err = deliveries.Of(m, s.DB.Now()); err != nil {
			return err
		}
		x.Project, x.Issue, x.Destination = p.ID, is.ID, d.ID
		if x.Position, err = alerts.Position(ctx, tx, p.ID); err != nil {
			return err
		}
		x.Episode = x.Created.UnixMicro() & 0x7fffffff
		x.Due = x.Created.Add(time.Minute) // it is tried below; by others only if this process ends
		made, err := deliveries.Add(ctx, tx, x)
		if err == nil && !made {
			err = problem.New(problem.Conflict, "a ticket is being made in %s", d.Name)
		}
		return err
	})
	if err != nil {
		return deliveries.Row{}, err
	}
	if err := s.try(ctx, d, x); err != nil {
		return deliveries.Row{}, err
	}
	row, _, err := s.Delivery(ctx, sight.All, x.ID)
	return row, err
}

// ticketOf is what a ticket made by hand says.
func (s *Service) ticketOf(ctx context.Context, tx *sql.Tx, p *projects.Project, is *issues.Issue, who accounts.Actor,
	read Reader) (alert.Message, error) {
	o := &alerts.Occurrence{Project: p.ID, Issue: is.ID, What: tickets.Making, At: s.DB.Now(), Who: who}
	k, err := s.look(ctx, p, o, read)
	if err != nil {
		return alert.Message{}, err
	}
	if k.issue == nil {
		return alert.Message{}, problem.New(problem.NotFound, "the issue was merged or deleted in between")
	}
	m, err := s.newMessage(ctx, tx, p, o, k)
	m.Why, m.By = "", who.Name
	if who.Name != "" {
		m.Why = "This ticket was made by " + who.Name + "."
	}
	return m, err
}
