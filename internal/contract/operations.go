package contract

import (
	"encoding/json"
	"time"
)

// Status says whether all is well.
type Status struct {
	Well       bool            `json:"well"`
	Waiting    int64           `json:"waiting" doc:"events stored but not yet processed"`
	Oldest     *time.Time      `json:"oldest,omitempty" doc:"when the oldest of them was received"`
	Failed     int64           `json:"set_aside" doc:"failed events"`
	Recounting int64           `json:"recounting" doc:"merges, splits, regroupings and undos in progress"`
	Processes  int             `json:"processes" doc:"how many file events"`
	Database   *StatusDatabase `json:"database,omitempty"`
	Advice     []string        `json:"advice" nullable:"false" doc:"what to do about each problem"`
}

// StatusDatabase is how the database stands.
type StatusDatabase struct {
	Version         string  `json:"version"`
	Durable         bool    `json:"durable" doc:"a commit is synced before it is answered"`
	PartitionsAhead int     `json:"partitions_ahead" doc:"days for which events have a partition beyond today's need"`
	Stray           int64   `json:"stray" doc:"events that found no day's partition"`
	ClockAhead      float64 `json:"clock_ahead_seconds" doc:"how far its clock is ahead of the service's"`
	DiskFree        *int64  `json:"disk_free,omitempty" doc:"bytes, where the service runs the database itself"`
}

// Queue is what waits to be processed, and what could not be.
type Queue struct {
	Waiting  int64         `json:"waiting"`
	Oldest   *time.Time    `json:"oldest,omitempty"`
	Projects []Waiting     `json:"projects" nullable:"false" doc:"waiting events by project"`
	Failed   []FailedEvent `json:"set_aside" nullable:"false" doc:"failed events, newest first"`
	Total    int64         `json:"set_aside_total"`
}

// Waiting is how many events of a project wait.
type Waiting struct {
	Project string `json:"project"`
	Events  int64  `json:"events"`
}

// FailedEvent is an event that could not be processed.
type FailedEvent struct {
	ID       string          `json:"id" doc:"for queue retry and queue discard"`
	Project  string          `json:"project"`
	Event    string          `json:"event,omitempty" doc:"the event's own id; absent for a delivery that cannot be read at all"`
	Received time.Time       `json:"received"`
	Error    string          `json:"error"`
	Body     json.RawMessage `json:"body,omitempty" doc:"the event as it was stored, scrubbed"`
}

// Retried says what a retry or discard did.
type Retried struct {
	Events int `json:"events"`
}

// EraseUser asks for a user to be forgotten.
type EraseUser struct {
	User string `json:"user" minLength:"1" maxLength:"1000" doc:"the identity that events carry: user.id, else user.email, user.name and so on"`
}

// Erasure is a user that is to be forgotten, or was.
type Erasure struct {
	ID     int64 `json:"id"`
	Done   bool  `json:"done"`
	Events int64 `json:"events" doc:"events whose body was deleted and whose user is now a random number"`
}

// Difference is a counter that differs from the rows it counts.
type Difference struct {
	What   string `json:"what"`
	Issue  int64  `json:"issue" doc:"internal number"`
	Stored int64  `json:"stored"`
	Rows   int64  `json:"rows"`
}

// Recount compares every counter with its rows.
type Recount struct {
	Compared    int          `json:"compared" doc:"kinds of counter"`
	Differences []Difference `json:"differences" nullable:"false"`
	Recounting  int          `json:"recounting" doc:"moves under way: rows on their way differ"`
	Repaired    int          `json:"repaired,omitempty" doc:"repaired issues"`
}
