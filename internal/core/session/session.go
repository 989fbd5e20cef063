// Package session merges the messages about one session, whatever their order; duplicates and late
// messages lead to the same session.
package session

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"firethorn/internal/core/event"
)

// Outcome is how a session ended, so far.
type Outcome uint8

// The outcomes, from good to bad. An application reports the first four; the
// service calls a session cut off that it hears nothing of any more.
const (
	Running Outcome = iota
	Clean           // ended, nothing went wrong
	Faulty          // went on, or ended, after an error
	Crashed         // an unhandled exception ended it
	CutOff          // it was not heard of any more: a hang, a kill, power
)

var names = [...]string{"running", "clean", "faulty", "crashed", "cut-off"}

// String is the outcome's word.
func (o Outcome) String() string {
	if int(o) < len(names) {
		return names[o]
	}
	return fmt.Sprintf("outcome %d", uint8(o))
}

// ParseOutcome reads an outcome's word.
func ParseOutcome(word string) (Outcome, bool) {
	for i, n := range names {
		if n == word {
			return Outcome(i), true
		}
	}
	return 0, false
}

// HeartbeatInterval is how often an application reports a session that goes on.
const HeartbeatInterval = 5 * time.Minute

// Bounds of what one message may say.
const (
	longestID       = 200
	longestDuration = 366 * 24 * time.Hour
)

// Message is one of the messages about a session.
type Message struct {
	ID       string
	Sequence uint32
	Started  string // RFC 3339, by the sender's clock
	Duration time.Duration
	Outcome  Outcome // one of the first four
	About    event.Event
	Counted  *Counted // it counts many sessions, of the minute Started; nil: it reports one
}

// Refusals of a message.
var (
	ErrNoID      = errors.New("a session needs an id: a text, the same in all messages about it and in the session.id of its events")
	ErrNoOutcome = errors.New("the outcome of a session is running, clean, faulty or crashed")
)

// Decode reads a message; resource is what its envelope gives it. A duration
// below zero says that a clock jumped, not that there was no session: it
// counts as zero.
func Decode(raw, resource json.RawMessage) (*Message, error) {
	var in struct {
		ID         any              `json:"id"`
		Sequence   json.Number      `json:"sequence"`
		Started    any              `json:"started"`
		Minute     any              `json:"minute"`
		Counts     json.RawMessage  `json:"counts"`
		Duration   json.RawMessage  `json:"duration_ms"`
		Outcome    any              `json:"outcome"`
		Attributes event.Attributes `json:"attributes"`
		Resource   event.Attributes `json:"resource"`
	}
	if err := json.Unmarshal(raw, &in); err != nil {
		if t, ok := errors.AsType[*json.UnmarshalTypeError](err); ok {
			return nil, fmt.Errorf("%q holds a %s, which does not fit", t.Field, t.Value)
		}
		return nil, fmt.Errorf("no session: %w", err)
	}
	m := &Message{}
	var ok bool
	if m.ID, ok = in.ID.(string); !ok || strings.TrimSpace(m.ID) == "" {
		return nil, ErrNoID
	}
	if len(m.ID) > longestID {
		return nil, fmt.Errorf("the session's id has %d bytes; %d are the most", len(m.ID), longestID)
	}
	if n, err := in.Sequence.Float64(); err == nil && n > 0 {
		m.Sequence = uint32(min(n, 1<<32-1))
	}
	var err error
	if m.Counted, err = readCounted(in.Counts, in.Duration); err != nil {
		return nil, err
	}
	if m.Counted != nil {
		m.Started, _ = in.Minute.(string)
		if _, err := time.Parse(time.RFC3339, m.Started); err != nil {
			return nil, errNoMinute
		}
		m.About = event.About(m.Started, in.Attributes, in.Resource, resource)
		return m, nil
	}
	word, _ := in.Outcome.(string)
	if m.Outcome, ok = ParseOutcome(word); !ok || m.Outcome == CutOff {
		return nil, ErrNoOutcome
	}
	m.Started, _ = in.Started.(string)
	var duration json.Number
	if len(in.Duration) > 0 && json.Unmarshal(in.Duration, &duration) != nil {
		return nil, fmt.Errorf(`no session: "duration_ms" holds %.20s, which does not fit`, in.Duration)
	}
	if n, err := duration.Float64(); err == nil && n > 0 {
		m.Duration = time.Duration(min(n, float64(longestDuration.Milliseconds()))) * time.Millisecond
	}
	m.About = event.About(m.Started, in.Attributes, in.Resource, resource)
	return m, nil
}

// Session is what is known of one run.
type Session struct {
	Started  time.Time
	Duration time.Duration
	Reported Outcome // the worst that was told
	Cut      bool    // there was no message about it for too long
	Sequence uint32  // the highest that was told
	Received time.Time

	// Whose it is and where it ran: a message of a higher sequence knows better
	// who the user is, one of a lower sequence where it began.
	User         *int64
	UserSequence uint32
	Release      string
	Environment  string
	HomeSequence uint32
	HasUser      bool // something was told
}

// Outcome is how the session stands.
func (s *Session) Outcome() Outcome {
	if s.Reported == Running && s.Cut {
		return CutOff
	}
	return s.Reported
}

// Add puts a message in: the earliest start, the longest duration, the worst
// outcome, in whatever order they come. That it is known undoes that
// it was cut off.
func (s *Session) Add(m *Message, started, heard time.Time, user *int64) {
	release, environment := m.About.Release(), m.About.Environment()
	if !s.HasUser || started.Before(s.Started) {
		s.Started = started
	}
	s.Duration = max(s.Duration, m.Duration)
	s.Reported = max(s.Reported, m.Outcome)
	s.Sequence = max(s.Sequence, m.Sequence)
	s.Cut = false
	if heard.After(s.Received) {
		s.Received = heard
	}
	if user != nil && (s.User == nil || m.Sequence > s.UserSequence || m.Sequence == s.UserSequence &&
		*user > *s.User) {
		s.User, s.UserSequence = user, m.Sequence
	}
	better := m.Sequence < s.HomeSequence || m.Sequence == s.HomeSequence &&
		release+"\x00"+environment > s.Release+"\x00"+s.Environment
	if !s.HasUser || (release != "") == (s.Release != "") && better || release != "" && s.Release == "" {
		s.Release, s.Environment, s.HomeSequence = release, environment, m.Sequence
	}
	s.HasUser = true
}
