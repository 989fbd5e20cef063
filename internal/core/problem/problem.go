// Package problem defines the one error type that crosses package borders. It holds where the error
// happened, whether a retry can help, a text for callers, and the cause, which callers never see.
package problem

import (
	"errors"
	"fmt"
	"time"
)

// Code names a kind of failure. Codes are published in docs/errors.md; one is
// never renamed and never used again for something else.
type Code string

// The published codes, each with the HTTP status it answers with.
const (
	BadInput      Code = "bad_input"       // 400: what was sent cannot be read
	Unauthorized  Code = "unauthorized"    // 401: no token, session or key, or an unknown one
	Forbidden     Code = "forbidden"       // 403: known, but not allowed to do this
	FreshSignIn   Code = "fresh_sign_in"   // 403: sign in again first: this cannot be undone
	NotFound      Code = "not_found"       // 404: there is no such thing
	Conflict      Code = "conflict"        // 409: the present state does not allow it
	Stale         Code = "stale"           // 412: somebody changed it in between
	TooLarge      Code = "too_large"       // 413: over a limit on size
	BadMediaType  Code = "bad_media_type"  // 415: a content type or encoding we do not read
	BadSearch     Code = "bad_search"      // 422: a search that cannot be read, with the column
	TooMany       Code = "too_many"        // 429: slow down, then send again
	Unavailable   Code = "unavailable"     // 503: the database is away; send again later
	Internal      Code = "internal"        // 500: our fault
	MapBroken     Code = "map_broken"      // 400: a source map that is none
	NoServer      Code = "no_server"       // client side: the service cannot be reached
	WrongUse      Code = "wrong_use"       // client side: a command line that makes no sense
	AnswerIsNo    Code = "answer_is_no"    // client side: the check or gate failed
	NoDatabase    Code = "no_database"     // start: no database program, or it does not start
	DataDirBroken Code = "data_dir_broken" // start: the data directory cannot be used
	PortTaken     Code = "port_taken"      // start: the address is in use
)

var status = map[Code]int{
	BadInput: 400, Unauthorized: 401, Forbidden: 403, FreshSignIn: 403, NotFound: 404, Conflict: 409, Stale: 412,
	TooLarge: 413, BadMediaType: 415, BadSearch: 422, TooMany: 429, Unavailable: 503, Internal: 500, MapBroken: 400,
}

// Error is a failure with its place, kind and public text.
type Error struct {
	Op    string        // where: "mariadb.FileBatch"
	Code  Code          // what kind
	Pub   string        // what outsiders may read: what happened, and what to do
	Retry time.Duration // when the same request may succeed; 0: never
	Err   error         // the cause, for the log

	// Of a search: the column where it goes wrong, in characters from 1, and the known
	// name or value that is likest to the unknown one; "" for none.
	Column  int
	Nearest string
}

func (e *Error) Error() string {
	s := e.Pub
	if s == "" {
		s = string(e.Code)
	}
	if e.Op != "" {
		s = e.Op + ": " + s
	}
	if e.Err != nil {
		s += ": " + e.Err.Error()
	}
	return s
}

func (e *Error) Unwrap() error { return e.Err }

// Status is the HTTP status of the error's code.
func (e *Error) Status() int {
	if s, ok := status[e.Code]; ok {
		return s
	}
	return 500
}

// New makes an Error whose public text is formatted from format and args.
func New(code Code, format string, args ...any) *Error {
	return &Error{Code: code, Pub: fmt.Sprintf(format, args...)}
}

// Wrap makes an Error with a cause that outsiders do not see.
func Wrap(op string, code Code, err error, format string, args ...any) *Error {
	return &Error{Op: op, Code: code, Pub: fmt.Sprintf(format, args...), Err: err}
}

// Public is what outsiders may read of an error; "" where nothing was said to them.
func Public(err error) string {
	if f, ok := errors.AsType[*Error](err); ok {
		return f.Pub
	}
	return ""
}
