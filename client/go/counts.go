package firethorn

import (
	"encoding/json"
	"math"
	"sync"
	"time"
)

// maxTold is how many failed requests are reported one by one in a
// minute, so that their events show the session they belong to. All others are
// counted.
const maxTold = 50

// counts adds up the sessions of requests: one message a minute, however many
// requests there are (docs/event-format.md, "Counted sessions").
type counts struct {
	c  *Client
	id string

	mu        sync.Mutex
	sequence  int
	minute    time.Time
	ended     map[string]int // by outcome
	durations histogram
	told      int
	timer     *time.Timer
}

func (n *counts) init(c *Client) { n.c, n.id = c, newID() }

type countsMessage struct {
	ID         string           `json:"id"`
	Sequence   int              `json:"sequence"`
	Minute     time.Time        `json:"minute"`
	Counts     map[string]int   `json:"counts"`
	DurationMS map[string]int64 `json:"duration_ms"`
}

// add counts a request's session that ended, or reports it by itself where an
// event names it.
func (n *counts) add(s *session, attributes map[string]any) {
	now := time.Now()
	outcome, mentioned := s.read()
	var due []byte
	n.mu.Lock()
	if minute := now.UTC().Truncate(time.Minute); !minute.Equal(n.minute) {
		due = n.message()
		n.minute, n.told = minute, 0
	}
	alone := mentioned && outcome != clean && n.told < maxTold
	if alone {
		n.told++
	} else {
		if n.ended == nil {
			n.ended = map[string]int{}
		}
		n.ended[outcome]++
		n.durations.add(now.Sub(s.began))
		if n.timer == nil {
			n.timer = time.AfterFunc(n.minute.Add(time.Minute).Sub(now), n.flush)
		}
	}
	n.mu.Unlock()
	n.send(due)
	if alone {
		n.c.tell(s, attributes)
	}
}

// flush sends the counts.
func (n *counts) flush() {
	n.mu.Lock()
	due := n.message()
	n.mu.Unlock()
	n.send(due)
}

// message is the counts as a message; counting starts again.
func (n *counts) message() []byte {
	if n.timer != nil {
		n.timer.Stop()
		n.timer = nil
	}
	if len(n.ended) == 0 {
		return nil
	}
	m := countsMessage{
		ID: n.id, Sequence: n.sequence, Minute: n.minute, Counts: n.ended,
		DurationMS: map[string]int64{"p50": n.durations.quantile(0.5), "p95": n.durations.quantile(0.95)},
	}
	n.sequence++
	n.ended, n.durations = nil, histogram{}
	raw, err := json.Marshal(m)
	if err != nil {
		return nil
	}
	return raw
}

func (n *counts) send(raw []byte) {
	if raw != nil {
		n.c.sessions.add(waiting{id: newID(), raw: raw}) // the file's name; the message has its own id
	}
}

// histogram counts durations in buckets that grow by a tenth each: a quantile
// is at most 5 % off.
type histogram struct {
	buckets [200]uint32
	all     uint32
}

func (h *histogram) add(d time.Duration) {
	ms := max(1, float64(d)/float64(time.Millisecond))
	h.buckets[min(len(h.buckets)-1, int(math.Log(ms)/math.Log(1.1)))]++
	h.all++
}

// quantile is in milliseconds; 0 where nothing was counted.
func (h *histogram) quantile(q float64) int64 {
	left := uint32(math.Ceil(q * float64(h.all)))
	for i, n := range h.buckets {
		if left <= n {
			if h.all == 0 {
				return 0
			}
			return int64(math.Round(math.Pow(1.1, float64(i)+0.5)))
		}
		left -= n
	}
	return 0
}
