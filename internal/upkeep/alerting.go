package upkeep

import (
	"context"
	"errors"
	"sync"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/jobs"
	"firethorn/internal/usecase/alerting"
)

// atOnce is how often alerts and deliveries are looked for.
const atOnce = 200 * time.Millisecond

// alerting is the part of the table that plans and sends messages. Destinations are worked on
// by the process that has their lease: owner names this one.
func (u *Upkeep) alerting(owner uuid.UUID) []jobs.Job {
	a := u.store.Alerting
	read := alerting.ReaderOf(u.units)
	return []jobs.Job{
		{Name: "plan-alerts", Lane: "alerts", Every: atOnce, Limit: jobTime, List: a.Waiting,
			Step: func(ctx context.Context, id int64) (bool, error) { return a.Plan(ctx, id, read) }},
		{Name: "look-at-releases", Lane: "alerts", Every: minute, Limit: jobTime, List: u.store.Scoring.Scorable,
			Step: func(ctx context.Context, id int64) (bool, error) { return false, a.Look(ctx, id) }},
		{Name: "drop-old-deliveries", Lane: "alerts", Every: time.Hour, Lease: "deliveries", Limit: jobTime,
			Step: func(ctx context.Context, _ int64) (bool, error) { return a.Expire(ctx) }},
		{Name: "send-deliveries", Lane: "deliveries", Every: atOnce, Retry: atOnce,
			Step: each(a.Due, func(ctx context.Context, id int64) (bool, error) { return a.Send(ctx, id, owner) })},
		{Name: "settle-tickets", Lane: "alerts", Every: atOnce, Limit: jobTime, List: u.store.Tickets.Dirty,
			Step: u.store.Tickets.Settle},
		{Name: "read-tickets", Lane: "deliveries", Every: atOnce, Retry: soon,
			Step: each(u.store.Tickets.Reading, func(ctx context.Context, id int64) (bool, error) {
				return u.store.Tickets.Read(ctx, id, owner)
			})},
		{Name: "drop-old-webhooks", Lane: "alerts", Every: time.Hour, Lease: "hooks", Limit: jobTime,
			Step: func(ctx context.Context, _ int64) (bool, error) { return false, u.store.Tickets.Forget(ctx) }},
		{
			Name:  "send-digests",
			Lane:  "digests",
			Every: soon,
			Lease: "digests",
			Retry: soon,
			Step:  each(a.HeldDue, a.Digest),
		},
		{
			Name:  "repeat-pages",
			Lane:  "digests",
			Every: soon,
			Lease: "pages",
			Retry: soon,
			Step:  each(a.Paging, a.Page),
		},
	}
}

// each makes a step that works on all elements of a list side by side. A slow one
// holds up no other: it goes on by itself, and what it returns is reported by a later step.
func each(list func(context.Context) ([]int64, error), step func(context.Context, int64) (bool, error)) func(
	context.Context, int64) (bool, error) {
	var mu sync.Mutex
	busy := map[int64]bool{}
	ended := make(chan error, 1000)
	return func(ctx context.Context, _ int64) (bool, error) {
		ids, err := list(ctx)
		mu.Lock()
		for _, id := range ids {
			if busy[id] {
				continue
			}
			busy[id] = true
			go func() {
				more, err := step(ctx, id)
				for more && err == nil && ctx.Err() == nil {
					more, err = step(ctx, id)
				}
				mu.Lock()
				delete(busy, id)
				mu.Unlock()
				if err != nil && ctx.Err() == nil {
					select {
					case ended <- err:
					default: // so many errors say the same
					}
				}
			}()
		}
		mu.Unlock()
		for {
			select {
			case failed := <-ended:
				err = errors.Join(err, failed)
			default:
				return false, err
			}
		}
	}
}
