package calls

import (
	"context"
	"errors"
	"testing"
	"testing/synctest"
	"time"

	"firethorn/internal/core/problem"
)

// Each wrong secret of an address makes the next answer later, a burst is turned
// away, and another address is not held back.
func TestGuesses_SlowDownAnAddress(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		g := newGuesses(time.Now)
		var waits []time.Duration
		burst := 0
		for range maxGuesses + 10 {
			at := time.Now()
			_, err := g.wrong(t.Context(), "203.0.113.7")
			if f, ok := errors.AsType[*problem.Error](err); ok {
				if f.Code != problem.TooMany || f.Retry != guessPause {
					t.Fatalf("a burst is answered with %v", f)
				}
				burst++
				continue
			}
			waits = append(waits, time.Since(at))
		}
		if burst != 10 || len(waits) != maxGuesses || waits[0] != guessWait || waits[3] != 8*guessWait || waits[maxGuesses-1] != longestGuess {
			t.Errorf("%d were turned away; the others waited %v", burst, waits)
		}
		at := time.Now()
		if n, err := g.wrong(t.Context(), "203.0.113.8"); n != 1 || err != nil || time.Since(at) != guessWait {
			t.Errorf("another address: %d, %v after %s", n, err, time.Since(at))
		}
		time.Sleep(guessPause + time.Second)
		if _, err := g.wrong(t.Context(), "203.0.113.7"); err != nil {
			t.Errorf("after the pause: %v", err)
		}
		time.Sleep(guessMemory + time.Second)
		if n, err := g.wrong(t.Context(), "203.0.113.7"); n != 1 || err != nil {
			t.Errorf("after a long time: %d, %v", n, err)
		}
	})
}

// Answers that are held back take connections: one address may hold few.
func TestGuesses_HoldBackFewAtOnce(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		g := newGuesses(time.Now)
		ctx, cancel := context.WithCancel(t.Context())
		for range guessWaiting {
			go g.wrong(ctx, "203.0.113.7")
		}
		synctest.Wait()
		if _, err := g.wrong(ctx, "203.0.113.7"); err == nil {
			t.Error("one more is held back")
		}
		cancel()
		synctest.Wait()
		if x := g.by["203.0.113.7"]; x.waiting != 0 {
			t.Errorf("%d wait when all have gone", x.waiting)
		}
	})
}

func TestGuesses_ForgetWhatIsManyAndQuiet(t *testing.T) {
	now := time.Now()
	g := newGuesses(func() time.Time { return now })
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	for i := range maxGuessers + 100 {
		_, _ = g.wrong(ctx, time.Duration(i).String())
	}
	if len(g.by) > maxGuessers {
		t.Errorf("%d addresses are remembered", len(g.by))
	}
}
