package calls

import (
	"errors"
	"net/http"
	"strings"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/web"
)

// Limits of the bodies of calls, in bytes. A call without a sign-in
// is small.
const (
	maxCallBody   = 4 << 20
	maxSignInBody = 4 << 10
	bodyMemory    = 512 << 20 // of all that are being read and worked on: a symbol upload may take half of it
	bodyTime      = 30 * time.Second
)

func maxBody(need Action) int64 {
	if need == SignIn {
		return maxSignInBody
	}
	return maxCallBody
}

// ErrBodiesFull says that as much is being uploaded as memory should hold.
var ErrBodiesFull = &problem.Error{Op: "api.boundBodies", Code: problem.Unavailable, Retry: 5 * time.Second,
	Pub: "too much is being uploaded at once; send the same request again in a moment"}

// slow says whether a call may take longer than others: it compares all that is
// stored, or streams its progress.
func slow(r *http.Request) bool {
	return r.URL.Path == "/api/recount" || strings.HasSuffix(r.URL.Path, "/live")
}

// BoundBodies takes the memory of a request's body out of a budget that all
// requests share, for as long as the request is worked on. Uploads count what
// they inflate themselves.
func (a *Frame) BoundBodies(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if slow(r) {
			if err := Unlimited(w); err != nil {
				web.WriteError(w, r, a.Log, err)
				return
			}
		}
		size := r.ContentLength
		if size < 0 || size > maxCallBody {
			size = maxCallBody
		}
		if size > 0 {
			if !a.Memory.TryAcquire(size) {
				web.WriteError(w, r, a.Log, ErrBodiesFull)
				return
			}
			defer a.Memory.Release(size)
		}
		next.ServeHTTP(w, r)
	})
}

// Unlimited lifts the limits on the time that a request and its answer may take:
// a stream has none.
func Unlimited(w http.ResponseWriter) error {
	c := http.NewResponseController(w)
	return errors.Join(c.SetReadDeadline(time.Time{}), c.SetWriteDeadline(time.Time{}))
}
