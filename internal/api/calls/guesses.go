package calls

import (
	"context"
	"fmt"
	"sync"
	"time"

	"firethorn/internal/core/problem"
)

// guesses slows down who sends wrong secrets, by address. Each wrong one makes
// the next wrong answer to the address later, and after a burst wrong ones are
// answered with 429. A right secret always passes: an address may be shared. What
// is known is forgotten after guessMemory without a wrong one.
type guesses struct {
	now func() time.Time

	mu sync.Mutex
	by map[string]*guesser
}

type guesser struct {
	count   int // wrong ones so far
	last    time.Time
	waiting int // answers that are being held back
}

// Bounds of guessing.
const (
	guessWait     = 200 * time.Millisecond // before the first wrong answer
	longestGuess  = 5 * time.Second        // before any
	maxGuesses    = 20                     // wrong ones of an address after which it has to pause
	guessPause    = 30 * time.Second
	guessWaiting  = 8 // held back answers of one address at once
	guessMemory   = 15 * time.Minute
	maxGuessers   = 10_000
	loggedGuesses = 5
)

func newGuesses(now func() time.Time) *guesses {
	return &guesses{now: now, by: map[string]*guesser{}}
}

// wrong notes a wrong secret from an address, waits as long as its answer is to
// be held back, and says how many there were. It gives an error, at once, when
// the address has to pause.
func (g *guesses) wrong(ctx context.Context, address string) (count int, err error) {
	g.mu.Lock()
	now := g.now()
	x := g.by[address]
	if x == nil || now.Sub(x.last) > guessMemory {
		g.forget(now)
		x = &guesser{}
		g.by[address] = x
	}
	if x.count >= maxGuesses && now.Sub(x.last) > guessPause {
		x.count = maxGuesses - 1 // it has paused: one more try
	}
	x.count++
	x.last = now
	count = x.count
	burst := x.count > maxGuesses || x.waiting >= guessWaiting
	if !burst {
		x.waiting++
	}
	g.mu.Unlock()
	if burst {
		return count, &problem.Error{Op: "api.guesses", Code: problem.TooMany, Retry: guessPause,
			Pub: fmt.Sprintf("%d wrong tokens or links came from %s; wait half a minute, then use the right one",
				count, address)}
	}
	select {
	case <-ctx.Done():
	case <-time.After(min(guessWait<<min(count-1, 5), longestGuess)):
	}
	g.mu.Lock()
	x.waiting--
	g.mu.Unlock()
	return count, nil
}

// forget removes addresses that were quiet for long, and, if there are too
// many of all that are no burst.
func (g *guesses) forget(now time.Time) {
	if len(g.by) < maxGuessers {
		return
	}
	for a, x := range g.by {
		if now.Sub(x.last) > guessMemory || x.count < maxGuesses {
			delete(g.by, a)
		}
	}
}
