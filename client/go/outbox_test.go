package firethorn

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"
)

func TestOutbox_SendsAgainWhatWasNotTaken(t *testing.T) {
	for name, first := range map[string]int{"a sign-in page": 200, "away": 503, "too many": 429} {
		t.Run(name, func(t *testing.T) {
			s := newStandIn(t)
			s.answer = func(n int) int {
				if n == 1 {
					return first
				}
				return 202
			}
			ctx := s.start(t, Options{})
			Report(ctx, errors.New("sunk"))
			drained(t)
			if got := s.got(); len(got) != 1 || s.requests < 2 {
				t.Errorf("%d events in %d requests", len(got), s.requests)
			}
		})
	}
}

func TestOutbox_TellsWhatItLost(t *testing.T) {
	s := newStandIn(t)
	s.answer = func(n int) int {
		if n == 1 {
			return 400
		}
		return 202
	}
	ctx := s.start(t, Options{})
	Report(ctx, errors.New("refused"))
	drained(t)
	for i := range 90 {
		Message(ctx, strings.Repeat("x", i))
	}
	drained(t)
	if n := len(s.got()); n < 60 || n > 90 || s.dropped["refused"] != 1 {
		t.Errorf("%d events, dropped %v", n, s.dropped)
	}
}

func TestKinds_CountRight(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{})
	for i := range 25_000 {
		Report(ctx, fmt.Errorf("tide %d", i))
	}
	drained(t)
	total := 0.0
	for _, e := range s.got() {
		n, ok := e["stands_for"].(float64)
		if !ok {
			n = 1
		}
		total += n
	}
	if total != 25_000 || len(s.got()) > 20 {
		t.Errorf("%v counted in %d events", total, len(s.got()))
	}
}

func TestShare_ThoseThatAreSentStandForTheOthers(t *testing.T) {
	s := newStandIn(t)
	ctx := s.start(t, Options{Share: 0.000001})
	for range 4 { // no flood: a few of a kind
		Report(ctx, errors.New("sunk"))
	}
	std.Load().kinds.release(true)
	for until := time.Now().Add(5 * time.Second); len(s.got()) == 0 && time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
	}
	time.Sleep(100 * time.Millisecond)
	if n := len(s.got()); n != 1 {
		t.Errorf("%d sent: the first alone should be", n)
	}
	drained(t)
	if got := s.got(); len(got) != 2 || got[1]["stands_for"] != 3.0 {
		t.Errorf("at the end one stands for the three: %v", got)
	}
}

func TestClose_DoesNotWaitForASlowService(t *testing.T) {
	s := newStandIn(t)
	s.answer = func(int) int {
		time.Sleep(3 * time.Second)
		return 202
	}
	ctx := s.start(t, Options{})
	Report(ctx, errors.New("sunk"))
	began := time.Now()
	short, cancel := context.WithTimeout(ctx, 100*time.Millisecond)
	defer cancel()
	if Drain(short) || time.Since(began) > 2*time.Second {
		t.Errorf("it waited %s", time.Since(began))
	}
}
