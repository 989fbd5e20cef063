package intake

import (
	"context"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/go-sql-driver/mysql"

	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
)

// hung is a store whose database hangs at one of the calls: nothing answers
// until the caller gives up, or the connection does after a minute.
type hung struct {
	memory
	at string
	is bool // known to be away
}

func (h *hung) wait(ctx context.Context, call string) error {
	if call != h.at {
		return nil
	}
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(time.Minute):
		return mysql.ErrInvalidConn
	}
}

func (h *hung) GrantOfKey(ctx context.Context, key string) (*projects.KeyGrant, error) {
	if err := h.wait(ctx, "key"); err != nil {
		return nil, err
	}
	return h.memory.GrantOfKey(ctx, key)
}

func (h *hung) RouteProject(ctx context.Context, home *projects.Project, name string) (*projects.Project, bool, error) {
	if err := h.wait(ctx, "route"); err != nil {
		return nil, false, err
	}
	p, ok, err := h.memory.RouteProject(ctx, home, name)
	p.Allowance = projects.DefaultAllowance
	return p, ok, err
}

func (h *hung) TakeAllowance(ctx context.Context, project int64, span projects.Span, start time.Time, events, limit int64) (bool, error) {
	if err := h.wait(ctx, "allowance"); err != nil {
		return false, err
	}
	return h.memory.TakeAllowance(ctx, project, span, start, events, limit)
}

func (h *hung) ClientDrops(ctx context.Context, project int64, drops map[string]int64) error {
	return h.wait(ctx, "drops")
}

func (h *hung) CanAppend() error {
	if h.is {
		return problem.New(problem.Unavailable, "the database is away")
	}
	return nil
}

func (h *hung) SawAway(error) { h.is = true }

// The database may hang at whatever a request asks of it.
func TestEvents_WaitNotForADatabaseThatHangs(t *testing.T) {
	const body = `{"resource":{"service.name":"bosun"},"dropped":{"queue_full":3},"events":[{"message":"m"}]}`
	for _, at := range []string{"key", "route", "allowance", "drops"} {
		synctest.Test(t, func(t *testing.T) {
			h := &hung{at: at}
			in, _ := newIntake(&h.memory)
			in.projects, in.inbox, in.router = h, h, h
			for i, limit := range []time.Duration{askTime, 0} {
				began := time.Now()
				code, text, _ := post(in, "routes", body)
				if took := time.Since(began); code != 503 || !strings.Contains(text, "the database is away") || took > limit {
					t.Errorf("hung at %s, request %d: %d %s after %s", at, i, code, text, took)
				}
			}
			if h.at, h.is = "", false; len(h.batches) != 0 {
				t.Errorf("hung at %s: %d batches stored of refused requests", at, len(h.batches))
			}
			if code, text, _ := post(in, "routes", body); code != 202 || len(h.batches) != 1 {
				t.Errorf("after it hung at %s: %d %s, %d batches", at, code, text, len(h.batches))
			}
		})
	}
}
