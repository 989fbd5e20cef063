package firethorn

import (
	"encoding/json"
	"strings"
	"sync"
	"time"
)

// heartbeat is how often a session that goes on is told of.
const heartbeat = 5 * time.Minute

// Outcomes of a session, from good to bad.
const (
	running = "running"
	clean   = "clean"
	faulty  = "faulty"
	crashed = "crashed"
)

var ranks = map[string]int{running: 0, clean: 1, faulty: 2, crashed: 3}

// session is one run: of the process, or of a request.
type session struct {
	id    string
	began time.Time

	mu       sync.Mutex
	sequence int
	outcome  string
}

func newSession() *session { return &session{id: newID(), began: time.Now(), outcome: running} }

func (s *session) raise(to string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if ranks[to] > ranks[s.outcome] {
		s.outcome = to
	}
}

type sessionMessage struct {
	ID         string         `json:"id"`
	Sequence   int            `json:"sequence"`
	Started    time.Time      `json:"started"`
	DurationMS int64          `json:"duration_ms"`
	Outcome    string         `json:"outcome"`
	Attributes map[string]any `json:"attributes"`
}

// tell tells how a session stands; of the attributes those of the user.
func (c *Client) tell(s *session, attributes map[string]any) {
	user := map[string]any{}
	for k, v := range attributes {
		if strings.HasPrefix(k, "user.") {
			user[k] = v
		}
	}
	s.mu.Lock()
	m := sessionMessage{s.id, s.sequence, s.began.UTC(), time.Since(s.began).Milliseconds(), s.outcome, user}
	s.sequence++
	s.mu.Unlock()
	if raw, err := json.Marshal(m); err == nil {
		c.sessions.add(m.ID, raw)
	}
}

// beat tells of the process's session as often as a heartbeat is due.
func (c *Client) beat(s *session) {
	t := time.NewTicker(heartbeat)
	defer t.Stop()
	for {
		select {
		case <-c.end:
			return
		case <-t.C:
			attributes, _, _ := c.whole.read()
			c.tell(s, attributes)
		}
	}
}
