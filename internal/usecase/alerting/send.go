package alerting

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"firethorn/internal/core/alert"
	"firethorn/internal/store/deliveries"
	"firethorn/internal/store/destinations"
)

// Sending bounds how much of one destination is sent at once.
const (
	sentAtOnce = 50 // deliveries of a turn
	sideBySide = 8  // connections
	destLease  = time.Minute
)

// Due lists the destinations that have something to be sent.
func (s *Service) Due(ctx context.Context) ([]int64, error) {
	return deliveries.Destinations(ctx, s.DB, deliveries.Waiting, s.DB.Now())
}

// Send sends the due deliveries of a destination, if no other process does: owner names this one.
// Messages about one issue arrive in their order.
func (s *Service) Send(ctx context.Context, destination int64, owner uuid.UUID) (more bool, err error) {
	release, err := s.DB.HoldLease(ctx, destinations.Lease(destination), owner, destLease)
	if err != nil || release == nil {
		return false, err
	}
	defer release()
	d, err := destinations.ByID(ctx, s.DB, destination)
	if err != nil || d == nil {
		return false, err
	}
	now := s.DB.Now()
	limit := sentAtOnce
	if !d.Paused.IsZero() {
		if now.Before(d.Probe) {
			return false, nil
		}
		limit = 1 // a probe
	}
	list, err := deliveries.Due(ctx, s.DB, destination, now, limit)
	if err != nil || len(list) == 0 {
		return false, err
	}
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(sideBySide)
	if d.Kind == destinations.Tickets {
		g.SetLimit(1) // issues may share a ticket
	}
	for _, x := range list {
		g.Go(func() error { return s.try(ctx, d, x) })
	}
	return len(list) == limit && d.Paused.IsZero(), g.Wait()
}

// try sends one delivery and notes what came of it.
func (s *Service) try(ctx context.Context, d *destinations.Destination, x *deliveries.Delivery) error {
	began := time.Now()
	at := s.DB.Now()
	r := s.attempt(ctx, d, x)
	if ctx.Err() != nil {
		return ctx.Err() // the process ends: it is tried again with the same id
	}
	a := deliveries.Attempt{At: at, Took: time.Since(began), Status: r.status, Answer: r.answer}
	if r.err != nil {
		a.Error = r.err.Error()
	}
	resumed := false
	err := s.DB.InTx(ctx, func(tx *sql.Tx) error {
		resumed = false
		y := *x
		y.Attempts++
		if r.err == nil {
			y.State, y.Sent = deliveries.Sent, s.DB.Now()
			was, err := destinations.Answered(ctx, tx, d.ID)
			if err != nil {
				return err
			}
			resumed = was
			return deliveries.Tried(ctx, tx, &y, a)
		}
		now, err := destinations.Failed(ctx, tx, d.ID, at)
		if err != nil || now == nil {
			return err
		}
		pausing := now.Paused.IsZero() && at.Sub(now.FailingSince) >= alert.PauseAfter &&
			now.FailedTries >= alert.PauseTries
		switch {
		case r.final, y.What == "test": // a test is tried once
			y.State = deliveries.Failed
		case !at.Before(y.Expires) && now.Paused.IsZero() && !pausing:
			y.State = deliveries.Failed
		default:
			y.Due = at.Add(alert.Retry(y.Attempts, s.Jitter(), r.after))
		}
		if err := deliveries.Tried(ctx, tx, &y, a); err != nil {
			return err
		}
		if !pausing && now.Paused.IsZero() {
			return nil
		}
		if pausing {
			if err := s.notifyMaker(ctx, tx, now, a); err != nil {
				return err
			}
		}
		return destinations.Pause(ctx, tx, d.ID, at, at.Add(alert.ProbeEvery))
	})
	if err != nil || !resumed {
		return err
	}
	return s.resume(ctx, d, s.DB.Now().Sub(d.Paused))
}

// resume lets what waited for a destination go on after a pause: a few messages as they are,
// more as one summary.
func (s *Service) resume(ctx context.Context, d *destinations.Destination, paused time.Duration) error {
	return s.DB.InTx(ctx, func(tx *sql.Tx) error {
		now := s.DB.Now()
		list, err := deliveries.AllWaiting(ctx, tx, d.ID, maxDigest)
		if err != nil {
			return err
		}
		if len(list) <= alert.MaxWaiting || d.Kind == destinations.Tickets { // no ticket represents many messages
			for _, x := range list {
				if err := deliveries.Postpone(ctx, tx, x.ID, now, x.Expires.Add(paused)); err != nil {
					return err
				}
			}
			return nil
		}
		return s.summarise(ctx, tx, list, now)
	})
}

// notifyMaker tells the person who made a destination, by mail if possible, that it is paused.
func (s *Service) notifyMaker(
	ctx context.Context,
	tx *sql.Tx,
	d *destinations.Destination,
	a deliveries.Attempt,
) error {
	s.Log.Warn("a destination is paused: it failed for an hour", "destination", d.Name, "err", a.Error)
	if d.Maker.ID == 0 {
		return nil
	}
	all, err := destinations.List(ctx, tx)
	if err != nil {
		return err
	}
	for _, mail := range all {
		if mail.ServesPeople() && mail.ID != d.ID {
			return s.writeOwn(
				ctx,
				tx,
				mail.ID,
				d.Maker.ID,
				alert.Message{
					Trigger: "destination.paused",
					Project: "all projects",
					Why: fmt.Sprintf(
						"%q failed for an hour and is paused; it is tried every 5 minutes. The last error: %s",
						d.Name,
						a.Error,
					),
				},
			)
		}
	}
	return nil
}
