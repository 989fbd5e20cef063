package session

import (
	"encoding/json"
	"errors"
	"fmt"
)

// Counted is what one message says of the many sessions that ended in one
// minute of one process: how many ended how, and how long they took.
type Counted struct {
	Clean, Faulty, Crashed uint32
	P50, P95               uint32 // milliseconds; 0: not told
}

// maxCounted is how many sessions one message may count: 16,666 requests a
// second for a minute. One above it is a mistake, or means harm.
const maxCounted = 1_000_000

// Refusals of a message that counts.
var (
	errNoMinute  = errors.New("counted sessions need the minute in which they ended, as RFC 3339")
	errNoCounts  = errors.New(`counts needs at least one of "clean", "faulty" and "crashed", with a whole number above zero`)
	errManyCount = fmt.Errorf("a message counts at most %d sessions of an outcome", maxCounted)
)

// readCounted reads the counts and durations of a message that counts sessions;
// nil says that it reports one.
func readCounted(counts, durations json.RawMessage) (c *Counted, err error) {
	var ended, took map[string]any
	if len(counts) == 0 || json.Unmarshal(counts, &ended) != nil || ended == nil {
		return nil, nil
	}
	_ = json.Unmarshal(durations, &took) // they may be missing
	c = &Counted{}
	for name, to := range map[string]*uint32{"clean": &c.Clean, "faulty": &c.Faulty, "crashed": &c.Crashed} {
		v, there := ended[name]
		if !there {
			continue
		}
		n, ok := v.(float64)
		if !ok || n < 0 || n != float64(uint64(n)) {
			return nil, errNoCounts
		}
		if n > maxCounted {
			return nil, errManyCount
		}
		*to = uint32(n)
	}
	if c.Clean+c.Faulty+c.Crashed == 0 {
		return nil, errNoCounts
	}
	for name, to := range map[string]*uint32{"p50": &c.P50, "p95": &c.P95} {
		if n, ok := took[name].(float64); ok && n > 0 {
			*to = uint32(min(n, 1<<32-1))
		}
	}
	return c, nil
}
