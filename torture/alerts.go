package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"sync"
	"time"

	"github.com/google/uuid"
)

// alertRules are what every project's rules say beside how they group.
const alertRules = `
alerts: [{name: all, when: 'became("new") || became("regressed") || became("woken") || became("fixed")', to: [hook]}, {name: many, when: 'severity != "debug"', users: 20, within: 2h, again: 3h, to: [hook]}]
`

// receiver takes webhooks, fails now and then, and is killed at random itself.
type receiver struct {
	address string
	mu      sync.Mutex
	order   []uuid.UUID       // of first arrivals
	got     map[uuid.UUID]int // how often each was taken
	odd     int               // messages without an id, or whose id is not that of the event
	rnd     *rand.Rand
}

// newReceiver listens until ctx ends.
func newReceiver(ctx context.Context, seed uint64) (*receiver, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	r := &receiver{address: l.Addr().String(), got: map[uuid.UUID]int{}, rnd: rand.New(rand.NewPCG(seed, 4000))}
	go r.keep(ctx, l, rand.New(rand.NewPCG(seed, 4001)))
	return r, nil
}

// keep serves, and is away for a moment again and again.
func (r *receiver) keep(ctx context.Context, l net.Listener, rnd *rand.Rand) {
	for ctx.Err() == nil {
		server := &http.Server{Handler: r, ReadHeaderTimeout: 5 * time.Second}
		go func() { _ = server.Serve(l) }() // until it is closed
		select {
		case <-ctx.Done():
		case <-time.After(time.Duration(1000+rnd.IntN(5000)) * time.Millisecond):
		}
		_ = server.Close()
		if ctx.Err() != nil {
			return
		}
		time.Sleep(time.Duration(rnd.IntN(700)) * time.Millisecond)
		var err error
		for {
			if l, err = net.Listen("tcp", r.address); err == nil || ctx.Err() != nil {
				break
			}
			time.Sleep(50 * time.Millisecond)
		}
	}
}

// ServeHTTP takes a message; one in eight fails.
func (r *receiver) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	id, err := uuid.Parse(req.Header.Get("webhook-id"))
	r.mu.Lock()
	defer r.mu.Unlock()
	switch {
	case err != nil:
		r.odd++
	case r.rnd.IntN(8) == 0:
		w.WriteHeader(http.StatusServiceUnavailable)
		return
	case r.got[id] == 0:
		r.order = append(r.order, id)
	}
	r.got[id]++
}

// connect makes the destination, and lets all projects alert.
func (s *stage) connect(ctx context.Context) error {
	v := s.services[0]
	body := fmt.Sprintf(`{"name":"hook","kind":"webhook","url":"http://%s","allow_inside":"url"}`, s.receiver.address)
	if err := v.post(ctx, "/api/destinations", body); err != nil {
		return err
	}
	for _, p := range projects {
		body := fmt.Sprintf(`{"text":%q}`, alertRules)
		if err := v.call(ctx, http.MethodPut, "/api/projects/"+p+"/rules", body, nil); err != nil {
			return err
		}
	}
	return nil
}

// delivered waits until all occurrences are planned and sent.
func (s *stage) delivered(ctx context.Context, db *sql.DB) error {
	for until := time.Now().Add(3 * time.Minute); ; time.Sleep(time.Second) {
		var waits int
		err := db.QueryRowContext(ctx, "SELECT (SELECT COUNT(*) FROM alert_occurrence WHERE planned IS NULL)+(SELECT COUNT(*) FROM delivery WHERE state IN ('waiting','held'))").
			Scan(&waits)
		if err == nil && waits == 0 {
			return nil
		}
		// What failed is tried again after minutes, and what cannot be read waits for symbols.
		for _, hurry := range []string{
			"UPDATE delivery SET due=0 WHERE state='waiting'",
			"UPDATE alert_occurrence SET due=0 WHERE planned IS NULL",
		} {
			if _, e := db.ExecContext(ctx, hurry); e != nil {
				err = errors.Join(err, e)
			}
		}
		if time.Now().After(until) {
			return errors.Join(err, fmt.Errorf("%d alerts still wait after 3 minutes: %s", waits, waiting(ctx, db)))
		}
	}
}

// waiting describes a few of the deliveries that are still to be sent.
func waiting(ctx context.Context, db *sql.DB) (text string) {
	err := db.QueryRowContext(ctx, "SELECT COALESCE(GROUP_CONCAT(CONCAT_WS(' ', HEX(id), what, state, 'issue', issue,"+
		" 'attempts', attempts, 'due', due, 'of', created) SEPARATOR '; '),'none') FROM"+
		" (SELECT * FROM delivery WHERE state IN ('waiting','held') LIMIT 5) w").Scan(&text)
	if err != nil {
		return err.Error()
	}
	return text
}

// judgeAlerts compares what the database says was sent with what arrived: everything did, with
// its own id, and what is about one issue in its order.
func (s *stage) judgeAlerts(ctx context.Context, db *sql.DB) error {
	if err := s.delivered(ctx, db); err != nil {
		return err
	}
	r := s.receiver
	r.mu.Lock()
	defer r.mu.Unlock()
	place := map[uuid.UUID]int{}
	for i, id := range r.order {
		place[id] = i
	}
	rows, err := db.QueryContext(ctx, "SELECT id, issue, what, state FROM delivery ORDER BY issue, project, position, n")
	if err != nil {
		return err
	}
	defer rows.Close()
	var errs []error
	known, last, at := map[uuid.UUID]bool{}, int64(-1), 0
	for rows.Next() {
		var raw []byte
		var issue int64
		var what, state string
		if err := rows.Scan(&raw, &issue, &what, &state); err != nil {
			return err
		}
		id := uuid.UUID(raw)
		known[id] = true
		s.report.Alerts[state]++
		if state != "sent" {
			continue
		}
		p, arrived := place[id]
		switch {
		case !arrived:
			errs = append(errs, fmt.Errorf("the message %s (%s of issue %d) is said to be sent and never arrived", id, what,
				issue))
		case issue != 0 && issue == last && p < at:
			s.report.Alerts["out of order"]++
		}
		if issue != last {
			at = 0
		}
		last, at = issue, max(at, p)
	}
	for id, n := range r.got {
		if !known[id] {
			errs = append(errs, fmt.Errorf("the message %s arrived and nobody knows it", id))
		}
		if n > 1 {
			s.report.Alerts["arrived more than once"]++
		}
	}
	if r.odd > 0 {
		errs = append(errs, fmt.Errorf("%d messages had no id", r.odd))
	}
	return errors.Join(append(errs, rows.Err())...)
}
