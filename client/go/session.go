package firethorn

import (
	"encoding/json"
	"strings"
	"sync"
	"time"
)

// heartbeat is how often an open session is reported.
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

	mu        sync.Mutex
	sequence  int
	outcome   string
	mentioned bool // an event names it
}

func newSession() *session { return &session{id: newID(), began: time.Now(), outcome: running} }

func (s *session) raise(to string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if ranks[to] > ranks[s.outcome] {
		s.outcome = to
	}
}

func (s *session) mention() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.mentioned = true
}

func (s *session) read() (outcome string, mentioned bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.outcome, s.mentioned
}

type sessionMessage struct {
	ID         string         `json:"id"`
	Sequence   int            `json:"sequence"`
	Started    time.Time      `json:"started"`
	DurationMS int64          `json:"duration_ms"`
	Outcome    string         `json:"outcome"`
	Attributes map[string]any `json:"attributes"`
	Resource   map[string]any `json:"resource,omitempty"`
}

// tell sends the state of a session; of the attributes it takes the user's.
func (c *Client) tell(s *session, attributes map[string]any) {
	user := map[string]any{}
	for k, v := range attributes {
		if strings.HasPrefix(k, "user.") {
			user[k] = v
		}
	}
	s.mu.Lock()
	m := sessionMessage{
		ID: s.id, Sequence: s.sequence, Started: s.began.UTC(), DurationMS: time.Since(s.began).Milliseconds(),
		Outcome: s.outcome, Attributes: user,
	}
	s.sequence++
	s.mu.Unlock()
	if raw, err := json.Marshal(m); err == nil {
		c.sessions.add(waiting{id: m.ID, raw: raw})
	}
}

// beat reports the process's session as often as a heartbeat is due.
func (c *Client) beat(s *session) {
	t := time.NewTicker(heartbeat)
	defer t.Stop()
	for {
		select {
		case <-c.end:
			return
		case <-t.C:
			c.tell(s, c.whole.read().attributes)
		}
	}
}
