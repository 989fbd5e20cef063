package contract

import (
	"time"
)

// Thread is one thread or goroutine at the moment of an event, readable.
type Thread struct {
	ID        string  `json:"thread.id,omitempty"`
	Name      string  `json:"thread.name,omitempty"`
	Blamed    bool    `json:"blamed,omitempty" doc:"the exception that the event is about"`
	WaitingOn string  `json:"waiting_on,omitempty"`
	Frames    []Frame `json:"frames" nullable:"false" doc:"innermost first"`
	Stack     string  `json:"stack,omitempty" doc:"exactly as the runtime printed it"`
}

// Session is one run of the application by one user.
type Session struct {
	ID           string    `json:"id" doc:"as the application named it; its events carry it as session.id"`
	Started      time.Time `json:"started"`
	DurationMS   int64     `json:"duration_ms"`
	Outcome      string    `json:"outcome" enum:"running,clean,faulty,crashed,cut-off"`
	Sequence     int64     `json:"sequence" doc:"the highest of its messages"`
	LastReceived time.Time `json:"last_heard"`
	Release      string    `json:"release"`
	Environment  string    `json:"environment"`
	HasUser      bool      `json:"has_user" doc:"its user is known"`
}

// Sessions is a page of sessions, newest start first.
type Sessions struct {
	Sessions []Session `json:"sessions" nullable:"false"`
	Next     string    `json:"next,omitempty"`
}

// SessionDetail is a session with its events.
type SessionDetail struct {
	Session
	Events []EventRow `json:"events" nullable:"false" doc:"in the order they were processed, at most 200"`
}

// SessionCount is how many sessions ended how.
type SessionCount struct {
	Day         string  `json:"day,omitempty" doc:"YYYY-MM-DD, with one entry per day"`
	Release     string  `json:"release"`
	Environment string  `json:"environment"`
	Sessions    int64   `json:"sessions" doc:"in all"`
	Running     int64   `json:"running"`
	Clean       int64   `json:"clean"`
	Faulty      int64   `json:"faulty"`
	Crashed     int64   `json:"crashed"`
	CutOff      int64   `json:"cut_off"`
	CrashFree   float64 `json:"crash_free" doc:"share of ended and cut-off sessions without a crash; 1 if there are none"`
}

// SessionCounts counts the sessions that began on some days (UTC).
type SessionCounts struct {
	From   string         `json:"from" doc:"first day, YYYY-MM-DD"`
	To     string         `json:"to" doc:"last day"`
	Total  SessionCount   `json:"total"`
	Counts []SessionCount `json:"counts" nullable:"false" doc:"by release and environment, newest release first"`
}

// Feedback is a message from an affected user.
type Feedback struct {
	ID          string    `json:"id"`
	Time        time.Time `json:"time"`
	Received    time.Time `json:"received"`
	Text        string    `json:"text" doc:"as it was written: never markup"`
	Cut         bool      `json:"cut,omitempty" doc:"it was longer"`
	Name        string    `json:"user.name,omitempty"`
	Email       string    `json:"user.email,omitempty"`
	Event       string    `json:"event,omitempty" doc:"the event it is about"`
	Issue       string    `json:"issue,omitempty" doc:"the issue of that event; absent until the event is processed"`
	Release     string    `json:"release"`
	Environment string    `json:"environment"`
}

// FeedbackList is a page of feedback, newest first.
type FeedbackList struct {
	Feedback []Feedback `json:"feedback" nullable:"false"`
	Next     string     `json:"next,omitempty"`
}
